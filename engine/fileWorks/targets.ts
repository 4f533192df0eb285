import { stat } from 'node:fs/promises'
import { basename } from 'node:path'
import { insideStore } from '../connectors/files/store'
import { inBatches } from '../context/inBatches'
import { stepFault } from '../context/step'
import { contentOf, type Content } from './content'
import type { FilesAtWork } from './definition'

/** Files that are read or written at the same time. */
export const width = 4

/** The name of a file below the place that it is put into. */
export const nameBelow = ({ spec }: FilesAtWork, path: string): string =>
  spec.keep_folders ? path : basename(path)

/** The path in the store of a name below a folder. */
export const below = (folder: string, name: string): string =>
  folder === '' ? name : `${folder.replace(/\/+$/, '')}/${name}`

/** @throws StepFault `same-name` where two would have one name, before anything is done */
export function oneEach<T extends { readonly name: string; readonly path: string }>(named: readonly T[]): void {
  const seen = new Map<string, string>()
  for (const { name, path } of named) {
    const other = seen.get(name)
    if (other !== undefined)
      stepFault('same-name', `${other} and ${path} would both be called ${name}`, 'set keep_folders: true, or narrow the pattern') // prettier-ignore
    seen.set(name, path)
  }
} // prettier-ignore

/** A file that is to be put somewhere, with its content where that is known. */
export interface Wanted {
  /** Path in the store that it is put into. */
  readonly target: string
  readonly size: number
  readonly content: () => Promise<Content>
}

/**
 * Which of the targets hold the very content already.
 * @throws StepFault `file-exists` where one holds other content and is not to be replaced, before anything is done
 */
export async function alreadyThere(
  { context, spec, into }: FilesAtWork,
  wanted: readonly Wanted[],
): Promise<Set<string>> {
  const same = new Set<string>()
  await inBatches(wanted, width, async ({ target, size, content }) => {
    const full = await insideStore(into!.store, target).catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') return undefined
      throw error
    })
    if (full === undefined) return
    const facts = await stat(full)
    if (!facts.isFile())
      stepFault('file-exists', `${target} is there, and is no file`, 'choose another folder or name')
    const equal =
      facts.size === size &&
      (await contentOf(full, context.signal)).sha256 === (await content()).sha256
    if (equal) same.add(target)
    else if (spec.exists === 'fail')
      stepFault('file-exists', `${target} is there with other content`, 'take it away, or set exists: replace')
  })
  return same
} // prettier-ignore
