import { stat } from 'node:fs/promises'
import type { FileRecord } from '../../database/schema'
import { openAs } from '../connectors/connections'
import { insideStore } from '../connectors/files/store'
import type { Engine } from '../context/engine'
import { contentOf } from '../fileWorks/content'

/** Where a file of a step's record must be, and what it must hold; undefined where the step left none. */
function leftBy({ store, path, did, at, sha256, size }: FileRecord) {
  if (did === 'written' || did === 'unpacked') return { store, path, sha256, size }
  // of a packed file the record has the content, and not that of the archive
  if (at && did === 'packed') return { ...at, sha256: undefined, size: undefined }
  if (at && (did === 'copied' || did === 'moved' || did === 'same')) return { ...at, sha256, size }
  return undefined
}

/** What is wrong with the files that a step left, in words: each is read again, and held against its checksum. */
export async function wrongFiles(
  engine: Engine,
  environment: string,
  files: readonly FileRecord[],
  signal: AbortSignal,
): Promise<string[]> {
  const wrong = new Set<string>()
  for (const file of files) {
    const left = leftBy(file)
    if (!left) continue
    signal.throwIfAborted()
    const name = `${left.path} in ${left.store}`
    try {
      const { store } = await openAs(engine, 'files', left.store, environment)
      const full = await insideStore(store, left.path)
      const { size } = await stat(full)
      if (left.size !== undefined && size !== left.size)
        wrong.add(`${name} has ${size.toLocaleString('en')} bytes, and had ${left.size.toLocaleString('en')}`)
      else if (left.sha256 !== undefined && (await contentOf(full, signal)).sha256 !== left.sha256)
        wrong.add(`${name} has another content`)
    } catch (error) {
      signal.throwIfAborted()
      const { code, message } = error as NodeJS.ErrnoException
      wrong.add(code === 'ENOENT' ? `${name} is not there any more` : `${name}: ${message}`)
    }
  }
  return [...wrong]
}
