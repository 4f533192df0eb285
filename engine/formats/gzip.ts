import { createReadStream } from 'node:fs'
import { Writable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { createGunzip } from 'node:zlib'
import { fail } from '../../core/fault'

/**
 * Unpacks a gzip file once without keeping anything. DuckDB takes a file that was broken off for a short one; this pass
 * tells, by the length and checksum at its end (RFC 1952, 2.3.1).
 * @throws FaultError `file`
 */
export async function checkGzip(full: string, path: string): Promise<void> {
  try {
    const nowhere = new Writable({ write: (_chunk, _encoding, done) => done() })
    await pipeline(createReadStream(full, { highWaterMark: 1 << 20 }), createGunzip(), nowhere)
  } catch {
    fail('file', `${path}: gzip that cannot be unpacked to its end: it is broken off or damaged`, { path })
  }
}
