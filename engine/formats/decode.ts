import { createReadStream, createWriteStream } from 'node:fs'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { Transform, type Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import iconv from 'iconv-lite'
import type { FileFormat } from '../../core/catalog/found'
import type { Encoding } from '../../core/files/encodings'
import { fail } from '../../core/fault'
import { literal } from '../duck/duck'
import { unpacking } from './gzip'
import { isOdd, layPlain, plainFormat } from './csv/lay'
import type { StoreFile } from './relation'

const plain = (format: FileFormat): boolean => (format.encoding ?? 'utf-8') === 'utf-8'

/** Bytes of an encoding as those of UTF-8. @throws FaultError `file` for bytes that are no letter of it */
export function toUtf8(encoding: Encoding): Transform {
  const decoder = iconv.getDecoder(encoding === 'latin-1' ? 'windows-1252' : encoding)
  const passed = (text: string): Buffer => {
    // what stands for no letter is never let through: it would be another value
    if (text.includes('\uFFFD'))
      fail('file', `a byte that is no letter in ${encoding}; is it written in another encoding?`)
    return Buffer.from(text, 'utf8')
  }
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      try {
        done(null, passed(decoder.write(chunk)))
      } catch (error) {
        done(error as Error)
      }
    },
    flush(done) {
      try {
        done(null, passed(decoder.end() ?? ''))
      } catch (error) {
        done(error as Error)
      }
    },
  })
}

/** A stream through others; a fault of the first is one of the last. */
export function piped(from: Readable, ...through: readonly Transform[]): Readable {
  return through.reduce<Readable>((text, into) => {
    text.on('error', (error) => into.destroy(error))
    return text.pipe(into)
  }, from)
}

/** The bytes of a file unpacked and in UTF-8. */
export const utf8Stream = (from: Readable, format: FileFormat): AsyncIterable<Buffer> =>
  piped(
    from,
    ...(format.gzip ? unpacking() : []),
    ...(plain(format) ? [] : [toUtf8(format.encoding!)]),
  ) as AsyncIterable<Buffer>

/** Copies that were made by this process: each has a name of its own. */
let made = 0

/**
 * Files as plain UTF-8: those in another encoding, and those of a layout that the reader does not take, are laid into
 * `folder` so. `copies` tells of each copy which file it is of.
 * @throws FaultError `file` for bytes that are no letter of the encoding
 */
export async function inUtf8<F extends StoreFile & { readonly format: FileFormat }>(
  files: readonly F[],
  folder: string,
): Promise<{ readonly files: readonly F[]; readonly copies: ReadonlyMap<string, string> }> {
  const copies = new Map<string, string>()
  const laid: F[] = []
  for (const file of files) {
    const odd = isOdd(file.format)
    if (plain(file.format) && !odd) {
      laid.push(file)
      continue
    }
    await mkdir(folder, { recursive: true })
    const copy = join(folder, `utf8-${++made}.txt`)
    try {
      const text = utf8Stream(createReadStream(file.full), file.format)
      const into = createWriteStream(copy)
      await (odd ? pipeline(text, layPlain(file.format), into) : pipeline(text, into))
    } catch (error) {
      fail('file', `${file.path}: ${(error as Error).message}`, { path: file.path })
    }
    const { encoding: _, gzip: __, ...format } = file.format
    copies.set(copy, file.full)
    laid.push({ ...file, full: copy, format: odd ? plainFormat(format) : format })
  }
  return { files: laid, copies }
}

/** An expression for the file that a row is of, over the path that it was read from. */
export const fileSql = (column: string, copies: ReadonlyMap<string, string>): string =>
  copies.size === 0
    ? column
    : `case ${column} ${[...copies].map(([copy, full]) => `when ${literal(copy)} then ${literal(full)}`).join(' ')} else ${column} end`

/** A reader whose rows name the file that they are of, not the copy that it was read from. */
export const ofFiles = (reader: string, copies: ReadonlyMap<string, string>): string =>
  copies.size === 0
    ? reader
    : `(select * replace (${fileSql('mattock_file', copies)} as mattock_file) from ${reader})`
