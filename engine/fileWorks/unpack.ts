import { rm } from 'node:fs/promises'
import { archiveOf } from './archives'
import {
  contentOfStream,
  isWritten,
  makeRoom,
  newFolders,
  settle,
  nameFile,
  writeStream,
  type Content,
} from './content'
import { recordFile, type FileWorker } from './definition'
import type { TakenFile } from './taken'
import { alreadyThere, below, nameBelow, oneEach } from './targets'
import { said } from './words'

/** A file in an archive, with what it holds. */
interface Entry {
  readonly archive: TakenFile
  readonly path: string
  readonly name: string
  readonly target: string
  readonly content: Content
}

export const unpack: FileWorker = {
  async run(work) {
    const { context, spec, files, into } = work
    const { signal } = context
    // once to know all of it: nothing of an archive that is damaged further on is seen
    const entries: Entry[] = []
    for (const archive of files)
      await archiveOf(archive.path).read(
        archive,
        async (path, stream) => {
          const content = await contentOfStream(stream, signal)
          const name = nameBelow(work, path)
          entries.push({ archive, path, name, target: below(into!.folder, name), content })
        },
        signal,
      )
    oneEach(entries)
    const there = await alreadyThere(
      work,
      entries.map(({ target, content }) => ({ target, size: content.size, content: () => Promise.resolve(content) })),
    )
    const at = (entry: Entry) => ({ store: work.store.name, path: entry.archive.path })
    const record = (entry: Entry, did: 'unpacked' | 'same') =>
      recordFile(
        { ...work, store: into!.store },
        { path: entry.target, size: entry.content.size, modified: entry.archive.modified },
        entry.content,
        did,
        { at: at(entry) },
      )
    const folders = newFolders()
    const known = new Map(entries.map((entry) => [`${entry.archive.path}\n${entry.path}`, entry]))
    let mark = 0
    for (const archive of files)
      await archiveOf(archive.path).read(
        archive,
        async (path, stream) => {
          const entry = known.get(`${archive.path}\n${path}`)!
          if (there.has(entry.target)) {
            await contentOfStream(stream, signal)
            return record(entry, 'same')
          }
          const place = await makeRoom(into!.store, entry.target, context, { folders, mark: mark++ })
          try {
            await writeStream(stream, place.own, signal)
            await isWritten(place.own, entry.target, entry.content, signal)
            await nameFile(place, entry.target, spec.exists === 'replace', context)
          } finally {
            await rm(place.own, { force: true })
          }
          record(entry, 'unpacked')
        },
        signal,
      )
    await settle(folders)
    said(work)
  },
} // prettier-ignore
