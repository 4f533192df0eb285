import { insideStore } from '../connectors/files/store'
import { contentOf, newFolders, settle } from './content'
import { copyOne, placesOf } from './copy'
import { hasTaken } from './covered'
import type { FileWorker } from './definition'
import { takeAway } from './takeAway'
import { alreadyThere } from './targets'

export const move: FileWorker = {
  async run(work) {
    const { context, into } = work
    const places = await placesOf(work)
    const targets = new Map(places.map(({ file, target }) => [file.path, target]))
    const there = await alreadyThere(
      work,
      places.map(({ file, target }) => ({ target, size: file.size, content: () => contentOf(file.full, context.signal) })), // prettier-ignore
    )
    const to = (path: string) => ({ store: into!.store.name, path: targets.get(path)! })
    const folders = newFolders()
    await takeAway(work, {
      did: 'moved',
      before: async ({ file }, mark) => {
        const at = to(file.path)
        if (!there.has(at.path)) await copyOne(work, { file, target: at.path }, { folders, mark })
        // it is there for good before the first one is gone
        await settle(folders)
        return at
      },
      to: ({ file }) => to(file.path),
      arrived: async ({ at, sha256 }) => {
        const full = at && (await insideStore(into!.store, at.path).catch(() => undefined))
        return full !== undefined && (await contentOf(full, context.signal)).sha256 === sha256
      },
    })
  },
  mayFindNone: hasTaken,
}
