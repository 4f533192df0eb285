import { createReadStream } from 'node:fs'
import { Transform, Writable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { createGunzip } from 'node:zlib'
import { fail, FaultError } from '../../core/fault'
import { unpackedRefusal } from './bounds'

/** Unpacks, and refuses what becomes far more than it was: between a watch of what goes in and one of what comes out. */
export function unpacking(): readonly Transform[] {
  let packed = 0
  let unpacked = 0
  const before = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      packed += chunk.length
      done(null, chunk)
    },
  })
  const behind = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      unpacked += chunk.length
      const refusal = unpackedRefusal(packed, unpacked)
      done(
        refusal === undefined ? null : new FaultError({ code: 'file', message: refusal, where: {} }),
        chunk,
      )
    },
  })
  return [before, createGunzip(), behind]
}

/**
 * Unpacks a gzip file once without keeping anything. DuckDB takes a file that was broken off for a short one; this pass
 * tells, by the length and checksum at its end (RFC 1952, 2.3.1).
 * @throws FaultError `file`
 */
export async function checkGzip(full: string, path: string): Promise<void> {
  try {
    const nowhere = new Writable({ write: (_chunk, _encoding, done) => done() })
    await pipeline([createReadStream(full, { highWaterMark: 1 << 20 }), ...unpacking(), nowhere])
  } catch (error) {
    if (error instanceof FaultError) fail('file', `${path}: ${error.message}`, { path })
    fail('file', `${path}: gzip that cannot be unpacked to its end: it is broken off or damaged`, { path })
  }
}
