import { lstat, readdir, stat } from 'node:fs/promises'
import { join, posix } from 'node:path'
import type { Stray } from '../../../core/catalog/found'
import { inScope } from '../../../core/catalog/scope'
import type { SurveyScope } from '../../../database/catalog'
import { insideStore, isMangled, mangled, type FileStore } from './store'

export interface WalkedFile {
  readonly path: string
  readonly size: number
  readonly modified: string
}

const ifGone =
  <T>(value: T) =>
  (error: NodeJS.ErrnoException): T => {
    if (error.code === 'ENOENT' || error.code === 'ENOTDIR') return value
    throw error
  }

/**
 * All files of a store that are in the scope, in the order of their paths. Hidden ones (a name that begins with a dot)
 * do not count; links are followed where they stay in the store and lead to a file, those that leave it are strays.
 */
export async function walk(
  store: FileStore,
  scope: SurveyScope,
  signal: AbortSignal,
): Promise<{ files: WalkedFile[]; strays: Stray[] }> {
  const files: WalkedFile[] = []
  const strays: Stray[] = []
  const root = await store.real()
  const visit = async (folder: string): Promise<void> => {
    signal.throwIfAborted()
    // what is taken away while it is walked through was not there
    const entries = await readdir(join(root, folder), { withFileTypes: true }).catch(ifGone([]))
    const wanted = entries
      .filter(({ name }) => !name.startsWith('.'))
      .sort((a, b) => (a.name < b.name ? -1 : 1))
    for (const entry of wanted) {
      const path = posix.join(folder, entry.name)
      if (isMangled(entry.name) && !(await lstat(join(root, path)).catch(ifGone(undefined)))) {
        strays.push({ path, reason: mangled })
        continue
      }
      if (entry.isDirectory()) {
        await visit(path)
        continue
      }
      if (!inScope(path, scope.include, scope.exclude)) continue
      if (entry.isSymbolicLink()) {
        const target = await insideStore(store, path, root).catch(() => undefined)
        if (target === undefined) {
          strays.push({ path, reason: 'a link that leads out of the store, or nowhere' })
          continue
        }
        if (!(await stat(target).catch(ifGone(undefined)))?.isFile()) continue
      } else if (!entry.isFile()) {
        strays.push({ path, reason: 'neither a file nor a folder' })
        continue
      }
      const look = entry.isSymbolicLink() ? stat : lstat
      const found = await look(join(root, path)).catch(ifGone(undefined))
      if (found) files.push({ path, size: found.size, modified: found.mtime.toISOString() })
    }
  }
  await visit('')
  return { files, strays }
}
