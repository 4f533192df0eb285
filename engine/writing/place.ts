import { mkdir, open, readdir, realpath, rm, stat } from 'node:fs/promises'
import { basename, dirname, join, resolve, sep } from 'node:path'
import { fail } from '../../core/fault'
import type { FileStore } from '../connectors/files/store'
import type { StepContext } from '../context/step'
import { noteSwept } from '../keeping/swept'

/**
 * Where a file of the store may be written: below its root, whatever links lie on the way; folders are made.
 * @throws FaultError `path`
 */
export async function placeFor(store: FileStore, path: string): Promise<string> {
  const parts = path.split('/')
  if (
    path === '' ||
    path.includes('\0') ||
    path.startsWith('/') ||
    /^[A-Za-z]:/.test(path) ||
    parts.includes('..') ||
    parts.some((part) => part.startsWith('.mattock-'))
  )
    fail('path', `"${path}" is no path within the store ${store.name}`)
  const root = await store.real()
  const full = resolve(root, path)
  // no folder is made beyond a link that leads out
  let there = dirname(full)
  while (there !== root && !(await stat(there).catch(() => undefined))) there = dirname(there)
  if (!isBelow(root, await realpath(there))) fail('path', `"${path}" leads out of the store ${store.name}`)
  await mkdir(dirname(full), { recursive: true })
  const folder = await realpath(dirname(full))
  if (!isBelow(root, folder)) fail('path', `"${path}" leads out of the store ${store.name}`)
  return join(folder, basename(full))
}

/** Does a path lie in a folder, links followed in both? */
export const isBelow = (root: string, path: string): boolean => path === root || path.startsWith(root + sep)

/** No two attempts share one, and a try none with a run. */
export const temporaryName = ({ load, attempt, step, aside, installation }: StepContext): string =>
  `.mattock-${installation.slice(0, 8)}-${aside ? 'try-' : ''}${load}-${attempt}-${step}`

/** Takes away what attempts left in a folder that ended without a word: those of loads that do not run any more. */
export async function sweepTemporaries(
  folder: string,
  { engine, load, attempt, installation }: StepContext,
): Promise<void> {
  const found = (await readdir(folder).catch(() => [])).flatMap((name) => {
    const [, by, of, tried] = /^\.mattock-([0-9a-f]{8})-(\d+)-(\d+)-/.exec(name) ?? []
    return of && tried && by === installation.slice(0, 8)
      ? [{ name, of: Number(of), tried: Number(tried) }]
      : []
  })
  if (found.length === 0) return
  const { rows } = await engine.db.$client.query<{ id: number; attempt: number }>(
    `select id, attempt from mattock.load where id = any ($1) and state in ('waiting', 'running', 'held')`,
    [found.map(({ of }) => of)],
  )
  for (const { name, of, tried } of found) {
    const going = of === load ? attempt : rows.find(({ id }) => id === of)?.attempt
    if (going !== undefined && tried >= going) continue
    await rm(join(folder, name), { recursive: true, force: true })
    await noteSwept(engine, 'files', 1)
  }
}

/** Puts what was written on the disk, so that it is there after a fall of the machine, too. */
export async function flush(path: string): Promise<void> {
  const handle = await open(path, 'r')
  try {
    await handle.sync()
  } finally {
    await handle.close()
  }
}
