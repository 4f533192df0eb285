import { rm } from 'node:fs/promises'
import { insideStore } from '../connectors/files/store'
import { inBatches } from '../context/inBatches'
import { stepFault } from '../context/step'
import { flush } from '../writing/place'
import { archiveOf } from './archives'
import {
  contentOfStream,
  contentOfTaken,
  isAsItWas,
  makeRoom,
  newFolders,
  settle,
  nameFile,
  type Content,
} from './content'
import { recordFile, type FileWorker } from './definition'
import { nameBelow, oneEach, width } from './targets'
import { said } from './words'

/** What an archive holds, by name. */
async function contentsOf(full: string, path: string, signal: AbortSignal): Promise<Map<string, Content>> {
  const found = new Map<string, Content>()
  await archiveOf(path).read(
    { full, path },
    async (name, stream) => void found.set(name, await contentOfStream(stream, signal)),
    signal,
  )
  return found
}

const holds = (found: ReadonlyMap<string, Content>, wanted: ReadonlyMap<string, Content>): boolean =>
  found.size === wanted.size && [...wanted].every(([name, { sha256 }]) => found.get(name)?.sha256 === sha256)

export const pack: FileWorker = {
  async run(work) {
    const { context, spec, files, into } = work
    const { signal } = context
    const path = into!.file!
    const named = files.map((file) => ({ file, path: file.path, name: nameBelow(work, file.path) }))
    oneEach(named)
    const archive = archiveOf(path)
    const wanted = new Map<string, Content>()
    await inBatches(named, width, async ({ file, name }) => void wanted.set(name, await contentOfTaken(file, signal))) // prettier-ignore
    const record = (did: 'packed' | 'same') => {
      for (const { file, name } of named)
        recordFile(work, file, wanted.get(name)!, did, { at: { store: into!.store.name, path } })
      said(work)
    }
    const keys = gzipKeys(path, wanted)
    const there = await insideStore(into!.store, path).catch((error: NodeJS.ErrnoException) => {
      if (error.code === 'ENOENT') return undefined
      throw error
    })
    if (there !== undefined) {
      const found = await contentsOf(there, path, signal).catch(() => new Map<string, Content>())
      if (holds(found, keys)) return record('same')
      if (spec.exists === 'fail')
        stepFault('file-exists', `${path} is there with other content`, 'take it away, or set exists: replace')
    }
    const folders = newFolders()
    const place = await makeRoom(into!.store, path, context, { folders, mark: 0 })
    try {
      await archive.write(
        place.own,
        named.map(({ file, name }) => ({ name, full: file.full, size: file.size, modified: new Date(file.modified) })),
        signal,
      )
      for (const { file } of named)
        if (!(await isAsItWas(file)))
          stepFault('file-changed', `${file.path} changed while it was read`, 'rerun when it is complete')
      await flush(place.own)
      if (!holds(await contentsOf(place.own, path, signal), keys))
        stepFault('lost-bytes', `${path} does not read back as it was written`, 'look at the disk, then rerun')
      await nameFile(place, path, spec.exists === 'replace', context)
      await settle(folders)
    } finally {
      await rm(place.own, { force: true })
    }
    record('packed')
  },
} // prettier-ignore

/** Names as they read back: one of gzip is called after its archive. */
function gzipKeys(path: string, wanted: ReadonlyMap<string, Content>): ReadonlyMap<string, Content> {
  const [only] = wanted.values()
  return /\.gz$/i.test(path) && !/\.tar\.gz$/i.test(path) && wanted.size === 1
    ? new Map([[path.split('/').at(-1)!.replace(/\.gz$/i, ''), only!]])
    : wanted
}
