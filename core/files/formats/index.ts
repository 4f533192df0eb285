import type { FormatDefinition } from './definition'
import { formats } from './registry'

export type FileKind = keyof typeof formats
export const fileKinds = Object.keys(formats) as [FileKind, ...FileKind[]]

/** The formats that files can be written in. */
export const writtenKinds = fileKinds.filter((kind) => formats[kind].writes !== null) as [
  FileKind,
  ...FileKind[],
]

/** What a name ends with, in lower case, without what it is packed with; '' where it has no ending. */
export const endingOf = (path: string): string =>
  (/\.([^./]*)$/.exec(path.replace(/\.gz$/i, ''))?.[1] ?? '').toLowerCase()

/** The format of an ending, and whether no other comes with it. */
interface EndingKind {
  readonly kind: FileKind
  readonly own: boolean
}

const byEnding = new Map(
  fileKinds.flatMap((kind) => {
    const { own, shared = [] }: FormatDefinition['endings'] = formats[kind].endings
    return [...own, ...shared].map((ending): [string, EndingKind] => [
      ending,
      { kind, own: own.includes(ending) },
    ])
  }),
)

/** Undefined for an ending that no format has. */
export const kindOfEnding = (ending: string): EndingKind | undefined => byEnding.get(ending)

/** The format of a file by its name; a name that tells nothing is one of CSV. */
export const kindByName = (path: string): FileKind => byEnding.get(endingOf(path))?.kind ?? 'csv'

export { formats } from './registry'
