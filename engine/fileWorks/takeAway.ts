import { realpath, unlink } from 'node:fs/promises'
import { basename, dirname, join } from 'node:path'
import { fail } from '../../core/fault'
import type { FileStore } from '../connectors/files/store'
import { point } from '../context/points'
import { stopped } from '../context/step'
import { flush, isBelow } from '../writing/place'
import { isAsItWas } from './content'
import { earlierIntents, judgeCovered, keepIntents, type Intent, type Judged } from './covered'
import { recordFile, type FilesAtWork } from './definition'
import { said } from './words'

interface Taking {
  readonly did: 'deleted' | 'moved'
  /** What becomes of a file before it is taken away; returns where it went. */
  readonly before: (judged: Judged, mark: number) => Promise<Intent['at']>
  /** Where it will go, for who goes on after this worker. */
  readonly to: (judged: Judged) => Intent['at']
  /** Has what an earlier attempt took away come to where it was to go? */
  readonly arrived: (intent: Intent) => Promise<boolean>
}

/** Takes away the files that are covered; the others stay, and are told. */
export async function takeAway(work: FilesAtWork, { did, before, to, arrived }: Taking): Promise<void> {
  const { context, files } = work
  const here = new Set(files.map(({ path }) => path))
  const gone = (await earlierIntents(work)).own.filter(({ path }) => !here.has(path))
  for (const intent of gone)
    if (await arrived(intent)) recordFile(work, intent, intent, did, intent.at ? { at: intent.at } : {})
    else context.outcome.log.push(`${intent.path} is gone, and not by this step`)
  const judged = await judgeCovered(work)
  const free = judged.filter(({ why }) => why === undefined)
  for (const { file, content, why } of judged)
    if (why !== undefined) recordFile(work, file, content, 'left', { why })
  if (!context.aside)
    await keepIntents(work, [
      ...gone,
      ...free.map((one) => ({
        path: one.file.path,
        size: one.file.size,
        modified: one.file.modified,
        sha256: one.content.sha256,
        at: to(one),
      })),
    ])
  await point('take-away')
  const folders = new Set<string>()
  for (const [mark, one] of free.entries()) {
    const { file, content } = one
    if (context.signal.aborted || !(await context.stillMine())) throw stopped()
    const at = await before(one, mark)
    if (context.aside) {
      recordFile(work, file, content, 'left', {
        ...(at ? { at } : {}),
        why: 'in a try nothing is taken away',
      })
      continue
    }
    if (!(await isAsItWas(file))) {
      recordFile(work, file, content, 'left', { why: 'changed while it was dealt with' })
      continue
    }
    const folder = await unlinked(work.store, file.path)
    if (folder === undefined) {
      recordFile(work, file, content, 'left', { why: 'gone meanwhile, and not by this step' })
      continue
    }
    folders.add(folder)
    await point('file-taken')
    recordFile(work, file, content, did, at ? { at } : {})
  }
  for (const folder of folders) await flush(folder)
  said(work)
}

/**
 * Takes a file of a store away: a link itself, not what it leads to. Returns its folder; undefined where it is gone already.
 * @throws FaultError `path` where its folder leads out of the store by now
 */
async function unlinked(store: FileStore, path: string): Promise<string | undefined> {
  const root = await store.real()
  try {
    const folder = await realpath(dirname(join(root, path)))
    if (!isBelow(root, folder)) fail('path', `"${path}" leads out of the store ${store.name}`)
    await unlink(join(folder, basename(path)))
    return folder
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === 'ENOENT') return undefined
    throw error
  }
} // prettier-ignore
