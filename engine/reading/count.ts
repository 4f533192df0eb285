import { createHash } from 'node:crypto'
import { createReadStream } from 'node:fs'
import { Transform } from 'node:stream'
import type { FileFormat } from '../../core/catalog/found'
import { hasQuotes } from '../../core/files/layout'
import { fail } from '../../core/fault'
import { formats } from '../formats'
import { lineRefusal } from '../formats/bounds'
import { recordsAbove } from '../formats/csv/lay'
import { piped, utf8Stream } from '../formats/decode'

export interface Fingerprint {
  readonly sha256: string
  /** Records of the file: of CSV by RFC 4180, without the header; of newline-delimited JSON, lines that hold something. */
  readonly records: number
  /** Bytes on the disk. */
  readonly bytes: number
}

/** Are delimiters, quotes and line breaks bytes of their own? So it is in ASCII and all that widen it by single bytes. */
const byteForByte = ({ encoding = 'utf-8' }: FileFormat): boolean =>
  /^(utf-8|latin-1|windows-|iso-|koi8|macintosh|cp)/.test(encoding)

const lineFeed = 0x0a
const carriageReturn = 0x0d
const backslash = 0x5c
const letterX = 0x78

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
  const counter = recordCounter(format)
  if (format.gzip || !byteForByte(format)) {
    for await (const chunk of utf8Stream(piped(file, raw), format)) counter.take(chunk)
    return { sha256: hash.digest('hex'), records: counter.end(), bytes }
  }
  // the plain way, without a stream between
  for await (const chunk of file as AsyncIterable<Buffer>) {
    hash.update(chunk)
    bytes += chunk.length
    counter.take(chunk)
  }
  return { sha256: hash.digest('hex'), records: counter.end(), bytes }
}

/** Goes through the records of a file of text, one after the other. */
export async function eachRecord(
  path: string,
  format: FileFormat,
  seen: (record: RecordPlace) => void,
): Promise<void> {
  const counter = recordCounter(format, seen)
  for await (const chunk of utf8Stream(createReadStream(path, { highWaterMark: 1 << 20 }), format))
    counter.take(chunk)
  counter.end()
}

/** A record of a text: its place among the records below the header, from 1. */
export interface RecordPlace {
  readonly number: number
  /** Line of the text that it begins on, from 1. */
  readonly line: number
  /** Bytes of the text before it. */
  readonly at: number
  /** Its bytes, without the line break at its end. */
  readonly bytes: () => Buffer
}

/**
 * What is done to chunks before their bytes are looked at, keeping their places: `rest` holds back what the next chunk
 * may change (undefined: there is none), `masked` has a letter in the place of what a backslash takes the meaning from,
 * and one line feed for whatever ends a line alone.
 */
function masks({ escape, ends }: FileFormat): {
  masked: (chunk: Buffer) => Buffer
  rest: (chunk: Buffer | undefined) => Buffer
} {
  if (escape === undefined && ends !== 'mixed') return { masked: (chunk) => chunk, rest: (chunk) => chunk ?? Buffer.alloc(0) } // prettier-ignore
  let held = Buffer.alloc(0)
  return {
    rest: (chunk) => {
      const all = chunk ? Buffer.concat([held, chunk]) : held
      held = Buffer.alloc(0)
      if (!chunk) return all
      // a CR, or backslashes, at the end wait for what follows
      let end = all.length
      while (end > 0 && (all[end - 1] === backslash || all[end - 1] === carriageReturn)) end--
      held = Buffer.from(all.subarray(end))
      return all.subarray(0, end)
    },
    masked: (chunk) => {
      const copy = Buffer.from(chunk)
      for (let i = 0; i < copy.length; i++) {
        if (escape !== undefined && copy[i] === backslash) copy[++i] = letterX
        else if (ends === 'mixed' && copy[i] === carriageReturn && copy[i + 1] !== lineFeed)
          copy[i] = lineFeed
      }
      return copy
    },
  }
}

/**
 * Counts records over chunks of text; blank lines, comments, lines above the header and the header do not count.
 * `seen` is told of each record that does.
 */
export function recordCounter(
  format: FileFormat,
  seen?: (record: RecordPlace) => void,
): { take(chunk: Buffer): void; end(): number } {
  const csv = formats[format.kind].counts === 'records'
  const delimiter = (format.delimiter ?? ',').charCodeAt(0)
  const quote = (format.quote ?? '"').charCodeAt(0)
  const comment = csv ? format.comment?.charCodeAt(0) : undefined
  const header = csv ? recordsAbove(format) : 0
  const tail = csv ? (format.tail ?? 0) : 0
  const hasQuote = csv && hasQuotes(format)
  // lines of blanks are blank where blanks part the fields
  const blanksCount = !csv || hasQuote
  const { masked, rest } = masks(format)
  let skip = csv ? (format.skip ?? 0) : 0
  let records = 0
  let quoted = false
  /** Last byte of the chunk before. */
  let before = lineFeed
  /** Bytes of the record so far that are no line break. */
  let filled = 0
  /** First byte of the record that is no mark of the encoding. */
  let first = 0
  let line = 1
  /** Line breaks within the record so far. */
  let within = 0
  /** Bytes before the chunk. */
  let past = 0
  /** Where the record began: its place in the text, and what of it lies in chunks before. */
  let begun = 0
  let held: Buffer[] = []
  const close = (chunk: Buffer, from: number, to: number) => {
    if (skip > 0) skip--
    else if (filled > 0 && (comment === undefined || first !== comment)) {
      records++
      if (seen && records > header) {
        const pieces = held
        const own = line - within
        seen({
          number: records - header,
          line: own,
          at: begun,
          bytes: () => Buffer.concat([...pieces, chunk.subarray(from, to)]),
        })
      }
    }
    filled = 0
    within = 0
    held = []
  }
  const takeMasked = (chunk: Buffer, own: Buffer) => {
    let at = 0
    let from = 0
    let nextQuote = hasQuote ? chunk.indexOf(quote) : -1
    while (at < chunk.length) {
      const found = chunk.indexOf(lineFeed, at)
      const end = found < 0 ? chunk.length : found
      if (filled === 0 && end > at) first = chunk[at] === 0xef ? (chunk[at + 3] ?? 0) : chunk[at]!
      const inComment = !quoted && (skip > 0 || (comment !== undefined && first === comment))
      while (nextQuote >= 0 && nextQuote < end) {
        const previous = nextQuote > 0 ? chunk[nextQuote - 1] : before
        // a quote opens a field at its start, or doubles the one before it; elsewhere it is a letter
        if (quoted) quoted = false
        else if (!inComment && (previous === delimiter || previous === lineFeed || previous === quote))
          quoted = true
        nextQuote = chunk.indexOf(quote, nextQuote + 1)
      }
      const broken = end > at && chunk[end - 1] === carriageReturn
      filled += blanksCount
        ? end - at - (broken ? 1 : 0)
        : own.subarray(at, end).some((byte) => byte > 32)
          ? end - at
          : 0
      if (found < 0) break
      if (!quoted) {
        close(own, from, broken ? end - 1 : end)
        from = found + 1
        begun = past + from
      } else {
        filled++
        within++
      }
      line++
      at = found + 1
    }
    const refusal = lineRefusal(filled)
    if (refusal !== undefined) fail('file', refusal)
    if (seen && from < chunk.length) held.push(own.subarray(from))
    past += chunk.length
    before = chunk[chunk.length - 1] ?? before
  }
  const take = (chunk: Buffer) => {
    const own = rest(chunk)
    takeMasked(masked(own), own)
  }
  const end = () => {
    const left = rest(undefined)
    if (left.length > 0) takeMasked(masked(left), left)
    if (filled > 0) close(Buffer.alloc(0), 0, 0)
    return Math.max(0, records - header - tail)
  }
  return { take, end }
}
