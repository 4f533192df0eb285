import { createReadStream, createWriteStream } from 'node:fs'
import { basename } from 'node:path'
import { pipeline } from 'node:stream/promises'
import { createGzip } from 'node:zlib'
import { FaultError } from '../../../core/fault'
import { unpacking } from '../../formats/gzip'
import { stepFault } from '../../context/step'
import type { ArchiveFormat } from './definition'
import { unreadable } from './faults'

/** One file, RFC 1952; its name is the archive's without the ending. */
export const gzip: ArchiveFormat = {
  async write(own, files, signal) {
    if (files.length !== 1)
      stepFault('archive', `.gz holds one file, and ${files.length} match`, 'pack into .zip or .tar.gz')
    await pipeline(createReadStream(files[0]!.full), createGzip(), createWriteStream(own, { flags: 'wx' }), { signal }) // prettier-ignore
  },
  async read({ full, path }, take, signal) {
    const [first, ...others] = unpacking()
    createReadStream(full, { signal }).on('error', (error) => first!.destroy(error)).pipe(first!) // prettier-ignore
    const last = others.at(-1)!
    const through = pipeline([first!, ...others], { signal })
    try {
      await Promise.all([take(basename(path).replace(/\.gz$/i, ''), last), through])
    } catch (error) {
      throw asFault(path, error as Error & { code?: string })
    }
  },
}

/** What unpacking says, in words; what is no matter of the archive goes on as it is. */
export function asFault(path: string, error: Error & { code?: string }): Error {
  if (error instanceof FaultError) return unreadable(path, error.message)
  if (error.code?.startsWith('Z_')) return unreadable(path, 'it is broken off or damaged')
  return error
}
