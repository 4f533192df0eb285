import { inBatches } from '../context/inBatches'
import { contentOf, contentOfTaken, copyFile, makeRoom, newFolders, settle, type Folders } from './content'
import { recordFile, type FilesAtWork, type FileWorker } from './definition'
import type { TakenFile } from './taken'
import { insideStore } from '../connectors/files/store'
import { stepFault } from '../context/step'
import { alreadyThere, below, nameBelow, oneEach, width } from './targets'
import { said } from './words'

/** A file with the path that it is copied to. */
export interface Copied {
  readonly file: TakenFile
  readonly target: string
}

/** Where each file goes. @throws StepFault `same-name`, `same-file` */
export async function placesOf(work: FilesAtWork): Promise<Copied[]> {
  const { files, into, store } = work
  const named = files.map((file) => ({ file, path: file.path, name: nameBelow(work, file.path) }))
  oneEach(named)
  const places = named.map(({ file, name }) => ({ file, target: below(into!.folder, name) }))
  for (const { file, target } of places) {
    const there = await insideStore(into!.store, target).catch(() => undefined)
    if (there === file.full)
      stepFault('same-file', `${file.path} of ${store.name} would be put onto itself`, 'choose another folder') // prettier-ignore
  }
  return places
}

/** Copies one file; returns what it holds. */
export async function copyOne(
  { context, spec, into }: FilesAtWork,
  { file, target }: Copied,
  room: { readonly folders: Folders; readonly mark: number },
) {
  const place = await makeRoom(into!.store, target, context, room)
  return await copyFile(file, place, target, spec.exists === 'replace', context)
}

export const copy: FileWorker = {
  async run(work) {
    const { context, into } = work
    const places = await placesOf(work)
    const there = await alreadyThere(
      work,
      places.map(({ file, target }) => ({ target, size: file.size, content: () => contentOf(file.full, context.signal) })), // prettier-ignore
    )
    const folders = newFolders()
    await inBatches([...places.entries()], width, async ([mark, { file, target }]) => {
      const at = { store: into!.store.name, path: target }
      if (there.has(target))
        recordFile(work, file, await contentOfTaken(file, context.signal), 'same', { at })
      else recordFile(work, file, await copyOne(work, { file, target }, { folders, mark }), 'copied', { at })
    })
    await settle(folders)
    said(work)
  },
}
