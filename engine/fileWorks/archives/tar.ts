import { createReadStream, createWriteStream } from 'node:fs'
import { PassThrough, type Readable, type Writable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { createGzip } from 'node:zlib'
import tar from 'tar-stream'
import { unpacking } from '../../formats/gzip'
import { StepFault } from '../../context/step'
import type { ArchiveFormat } from './definition'
import { bounds, entryName, unreadable } from './faults'
import { asFault } from './gzip'

/** Entries that say something of others, and folders, which come with their files. */
const passed = new Set(['directory', 'pax-header', 'pax-global-header'])

/** POSIX.1-2001 tar (ustar, pax where names are long), packed by gzip. */
export const tarGz: ArchiveFormat = {
  async write(own, files, signal) {
    const pack = tar.pack()
    const put = async () => {
      for (const { name, full, size, modified } of files) {
        const entry = pack.entry({ name, size, mtime: modified, mode: 0o644 })
        await pipeline(createReadStream(full), entry as unknown as Writable, { signal })
      }
      pack.finalize()
    }
    await Promise.all([
      put().catch((error: Error) => {
        pack.destroy(error)
        throw error
      }),
      pipeline(pack as unknown as Readable, createGzip(), createWriteStream(own, { flags: 'wx' }), { signal }),
    ])
  },
  async read({ full, path }, take, signal) {
    const { entry } = bounds(path, 0)
    const extract = tar.extract()
    extract.on('entry', (header, stream, next) => {
      const { name, type } = header
      const work = async () => {
        if (passed.has(type)) return void stream.resume()
        if (type !== 'file' && type !== 'contiguous-file')
          unreadable(path, `"${name}" in it is no file, but a ${type}`)
        entry()
        const content = new PassThrough()
        await Promise.all([
          pipeline(stream as unknown as Readable, content),
          take(entryName(path, name), content),
        ])
      }
      work().then(() => next(), (error: Error) => extract.destroy(error)) // prettier-ignore
    })
    try {
      await pipeline(
        [createReadStream(full), ...unpacking(), extract as unknown as Writable] as [Readable, ...Writable[]] as never,
        { signal },
      )
    } catch (error) {
      if (error instanceof StepFault || signal.aborted) throw error
      const known = asFault(path, error as Error)
      if (known !== error || (error as { code?: string }).code !== undefined) throw known
      unreadable(path, (error as Error).message.toLowerCase())
    }
  },
} // prettier-ignore
