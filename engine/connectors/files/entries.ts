import { readdir, stat } from 'node:fs/promises'
import { join } from 'node:path'
import type { Entry } from '../definition'
import { insideStore, type FileStore } from './store'

/** The folders and files of a folder of a store, folders first; links that lead out of the store are left out. */
export async function folderEntries(store: FileStore, path: string): Promise<Entry[]> {
  const full = await insideStore(store, path)
  const found = await readdir(full, { withFileTypes: true })
  const entries = await Promise.all(
    found
      .filter(({ name }) => !name.startsWith('.'))
      .map(async (entry): Promise<Entry | undefined> => {
        const at = path === '' ? entry.name : `${path}/${entry.name}`
        const target = entry.isSymbolicLink()
          ? await insideStore(store, at).catch(() => undefined)
          : join(full, entry.name)
        if (target === undefined) return undefined
        const facts = await stat(target).catch(() => undefined)
        if (!facts || !(facts.isDirectory() || facts.isFile())) return undefined
        const folder = facts.isDirectory()
        return {
          kind: folder ? 'folder' : 'file', name: entry.name, path: at, rows: null,
          size: folder ? null : facts.size, modified: facts.mtime.toISOString(),
        } // prettier-ignore
      }),
  )
  return entries
    .filter((entry) => entry !== undefined)
    .sort((a, b) => (a.kind === b.kind ? (a.name < b.name ? -1 : 1) : a.kind === 'folder' ? -1 : 1))
}
