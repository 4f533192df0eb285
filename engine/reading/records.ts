import { stat } from 'node:fs/promises'
import type { FileFormat } from '../../core/catalog/found'
import type { FileRecord } from '../../database/schema'
import type { FileStore } from '../connectors/files/store'
import { FaultError } from '../../core/fault'
import { stepFault } from '../context/step'
import { formats } from '../formats'
import type { StoreFile } from '../formats/relation'
import { fingerprint } from './count'

/** The files' checksums and counts, made beside the reading; a file that changed meanwhile is a fault. */
export async function recordsOf(
  store: FileStore,
  files: readonly (StoreFile & { size: number; modified: string; format: FileFormat })[],
  known: (full: string) => number | undefined,
): Promise<{ files: FileRecord[]; rows: number; bytes: number }> {
  const records = await Promise.all(
    files.map(async ({ path, full, size, modified, format }): Promise<FileRecord> => {
      const print = await fingerprint(full, format).catch((error: Error & { code?: string }) => {
        if (error.code?.startsWith('Z_'))
          stepFault(
            'file',
            `${path}: gzip that cannot be unpacked to its end: it is broken off or damaged`,
            'have it sent again',
          )
        if (error instanceof FaultError) stepFault('file', `${path}: ${error.message}`, 'look at the file; is it what it should be?') // prettier-ignore
        throw error
      })
      const now = await stat(full)
      if (now.size !== size || now.mtime.toISOString() !== modified || print.bytes !== size)
        stepFault('file-changed', `${path} changed while it was read`, 'rerun when it is complete')
      // what lines hold several rows of says so itself
      const counted = formats[format.kind].counts ? print.records : 0
      const rows = size > 0 ? (known(full) ?? counted) : 0
      return { store: store.name, path, size, modified, sha256: print.sha256, records: rows }
    }),
  )
  return {
    files: records,
    rows: records.reduce((sum, { records: n }) => sum + n, 0),
    bytes: records.reduce((sum, { size }) => sum + size, 0),
  }
}
