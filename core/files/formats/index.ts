import { formats } from './registry'

export type FileKind = keyof typeof formats
export const fileKinds = Object.keys(formats) as [FileKind, ...FileKind[]]

/** The formats that files can be written in. */
export const writtenKinds = fileKinds.filter((kind) => formats[kind].writes !== null) as [
  FileKind,
  ...FileKind[],
]

/** The format of a file by its name; a name that tells nothing is one of CSV. */
export const kindByName = (path: string): FileKind =>
  fileKinds.find((kind) => formats[kind].names.test(path)) ?? 'csv'

export { formats } from './registry'
