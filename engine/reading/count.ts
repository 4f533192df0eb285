import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { Transform, type Readable } from 'node:stream'
import { StringDecoder } from 'node:string_decoder'
import { createGunzip } from 'node:zlib'
import type { FileFormat } from '../../core/catalog/found'
import { formats } from '../formats'

export interface Fingerprint {
  readonly sha256: string
  /** Records of the file: of CSV by RFC 4180, without the header; of newline-delimited JSON, lines that hold something. */
  readonly records: number
  /** Bytes on the disk. */
  readonly bytes: number
}

const lineFeed = 0x0a
const carriageReturn = 0x0d

/**
 * Checksum and number of records in one pass. The count is made independently of the reader that loads the file,
 * so that the balance can catch a row that got lost.
 */
export async function fingerprint(path: string, format: FileFormat = { kind: 'csv' }): Promise<Fingerprint> {
  const hash = createHash('sha256')
  let bytes = 0
  const file = createReadStream(path, { highWaterMark: 1 << 20 })
  const raw = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      hash.update(chunk)
      bytes += chunk.length
      done(null, chunk)
    },
  })
  if (!formats[format.kind].counts) {
    for await (const chunk of file as AsyncIterable<Buffer>) {
      hash.update(chunk)
      bytes += chunk.length
    }
    return { sha256: hash.digest('hex'), records: 0, bytes }
  }
  let text: Readable = file
  if (format.gzip || format.encoding === 'utf-16') {
    text = file.pipe(raw)
    file.on('error', (error) => raw.destroy(error))
    if (format.gzip) text = piped(text, createGunzip())
    if (format.encoding === 'utf-16') text = piped(text, fromUtf16())
    const records = await countRecords(text as AsyncIterable<Buffer>, format)
    return { sha256: hash.digest('hex'), records, bytes }
  }
  // the plain way, without a stream between
  const counter = recordCounter(format)
  for await (const chunk of file as AsyncIterable<Buffer>) {
    hash.update(chunk)
    bytes += chunk.length
    counter.take(chunk)
  }
  return { sha256: hash.digest('hex'), records: counter.end(), bytes }
}

function piped(from: Readable, into: Transform): Transform {
  from.on('error', (error) => into.destroy(error))
  return from.pipe(into)
}

function fromUtf16(): Transform {
  const decoder = new StringDecoder('utf16le')
  let big: boolean | undefined
  let odd: Buffer = Buffer.alloc(0)
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      let whole = Buffer.concat([odd, chunk])
      odd = whole.subarray(whole.length - (whole.length % 2))
      whole = Buffer.from(whole.subarray(0, whole.length - (whole.length % 2)))
      big ??= whole[0] === 0xfe && whole[1] === 0xff
      done(null, Buffer.from(decoder.write(big ? whole.swap16() : whole), 'utf8'))
    },
  })
}

async function countRecords(text: AsyncIterable<Buffer>, format: FileFormat): Promise<number> {
  const counter = recordCounter(format)
  for await (const chunk of text) counter.take(chunk)
  return counter.end()
}

/** Counts records over chunks of text; blank lines, comments, lines above the header and the header do not count. */
function recordCounter(format: FileFormat): { take(chunk: Buffer): void; end(): number } {
  const csv = formats[format.kind].counts === 'records'
  const delimiter = (format.delimiter ?? ',').charCodeAt(0)
  const quote = (format.quote ?? '"').charCodeAt(0)
  const comment = csv ? format.comment?.charCodeAt(0) : undefined
  let skip = csv ? (format.skip ?? 0) : 0
  let records = 0
  let quoted = false
  /** Last byte of the chunk before. */
  let before = lineFeed
  /** Bytes of the record so far that are no line break. */
  let filled = 0
  /** First byte of the record that is no mark of the encoding. */
  let first = 0
  const close = () => {
    if (skip > 0) skip--
    else if (filled > 0 && (comment === undefined || first !== comment)) records++
    filled = 0
  }
  const take = (chunk: Buffer) => {
    let at = 0
    let nextQuote = csv ? chunk.indexOf(quote) : -1
    while (at < chunk.length) {
      const line = chunk.indexOf(lineFeed, at)
      const end = line < 0 ? chunk.length : line
      if (filled === 0 && end > at) first = chunk[at] === 0xef ? (chunk[at + 3] ?? 0) : chunk[at]!
      const start = at
      const inComment = !quoted && (skip > 0 || (comment !== undefined && first === comment))
      while (nextQuote >= 0 && nextQuote < end) {
        const previous = nextQuote > 0 ? chunk[nextQuote - 1] : before
        // a quote opens a field at its start, or doubles the one before it; elsewhere it is a letter
        if (quoted) quoted = false
        else if (!inComment && (previous === delimiter || previous === lineFeed || previous === quote))
          quoted = true
        nextQuote = chunk.indexOf(quote, nextQuote + 1)
      }
      filled += end - start - (end > start && chunk[end - 1] === carriageReturn ? 1 : 0)
      if (line < 0) break
      if (!quoted) close()
      else filled++
      at = line + 1
    }
    before = chunk[chunk.length - 1] ?? before
  }
  const end = () => {
    if (filled > 0) close()
    return csv && (format.header ?? true) && records > 0 ? records - 1 : records
  }
  return { take, end }
}
