import { isUtf8 } from 'node:buffer'
import { createWriteStream } from 'node:fs'
import { stat } from 'node:fs/promises'
import { Transform, type Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { crc32 } from 'node:zlib'
import yauzl from 'yauzl'
import yazl from 'yazl'
import { StepFault } from '../../context/step'
import type { ArchiveFormat } from './definition'
import { bounds, entryName, unreadable } from './faults'

/**
 * The name of an entry. Without the mark of UTF-8 (bit 11) it should be in code page 437; what was made on Unix says the
 * bytes of its own names all the same, which are UTF-8 there.
 */
function nameOf({ fileName, fileNameRaw, versionMadeBy, generalPurposeBitFlag }: yauzl.Entry): string {
  const byUnix = versionMadeBy >>> 8 === 3 && (generalPurposeBitFlag & 0x800) === 0
  return byUnix && isUtf8(fileNameRaw) ? fileNameRaw.toString('utf8') : fileName
}

/** Kind of file in the upper half of an entry's attributes, where it was made on a system that has them (stat(2)). */
const kindMask = 0o170000
const regular = 0o100000

/** Zip as in ISO/IEC 21320-1: deflated or stored, names in UTF-8, not encrypted. */
export const zip: ArchiveFormat = {
  async write(own, files, signal) {
    const made = new yazl.ZipFile()
    const out = pipeline(made.outputStream, createWriteStream(own, { flags: 'wx' }), { signal })
    const failed = new Promise<never>((_, reject) => made.on('error', reject))
    for (const { name, full, modified } of files) made.addFile(full, name, { mtime: modified, mode: 0o100644 })
    made.end()
    await Promise.race([out, failed])
  },
  async read({ full, path }, take, signal) {
    const limit = bounds(path, (await stat(full)).size)
    const opened = await new Promise<yauzl.ZipFile>((resolve, reject) =>
      yauzl.open(full, { lazyEntries: true, autoClose: false }, (error, file) =>
        error ? reject(error) : resolve(file),
      ),
    ).catch((error: Error) => unreadable(path, error.message))
    const work = async (entry: yauzl.Entry) => {
      const name = nameOf(entry)
      if (name.endsWith('/')) return
      const kind = (entry.externalFileAttributes >>> 16) & kindMask
      if (kind !== 0 && kind !== regular) unreadable(path, `"${name}" in it is no file, but a link or the like`) // prettier-ignore
      if (entry.isEncrypted()) unreadable(path, `"${name}" in it is encrypted`)
      limit.entry()
      const stream = await new Promise<Readable>((resolve, reject) =>
        opened.openReadStream(entry, (error, found) => (error ? reject(error) : resolve(found))),
      )
      let sum = 0
      const watch = new Transform({
        transform(chunk: Buffer, _encoding, done) {
          sum = crc32(chunk, sum)
          try {
            limit.bytes(chunk.length)
            done(null, chunk)
          } catch (error) {
            done(error as Error)
          }
        },
        flush: (done) =>
          done(sum === entry.crc32 ? null : new Error(`"${name}" in it is damaged: its checksum does not hold`)), // prettier-ignore
      })
      await Promise.all([
        pipeline(stream, watch, { signal }),
        take(entryName(path, name), watch),
      ])
    }
    try {
      await new Promise<void>((resolve, reject) => {
        opened.on('error', reject)
        opened.on('end', resolve)
        opened.on('entry', (entry: yauzl.Entry) => work(entry).then(() => opened.readEntry(), reject))
        opened.readEntry()
      })
    } catch (error) {
      if (error instanceof StepFault || signal.aborted || isSystem(error)) throw error
      unreadable(path, (error as Error).message)
    } finally {
      opened.close()
    }
  },
} // prettier-ignore

/** A fault of the machine, and none of the archive. */
const isSystem = (error: unknown): boolean => /^E[A-Z]+$/.test(String((error as { code?: unknown }).code))
