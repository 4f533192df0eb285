import { createReadStream, createWriteStream } from 'node:fs'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { Transform, type Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type { FileFormat } from '../../../core/catalog/found'
import { fail } from '../../../core/fault'
import { depthRefusal, lineRefusal } from '../bounds'
import { piped } from '../decode'
import { unpacking } from '../gzip'

/**
 * DuckDB reads every number of a JSON text as a double on its way (measured with 1.5.5), which keeps 15 digits. Numbers
 * of more digits, and NaN and Infinity, which some programs write although RFC 8259 has no such numbers, are laid into
 * quotes before, behind a letter of the private use area of Unicode; what is read takes them out again.
 */
export const mark = '\uE000'

/** Significant digits that a double keeps for certain (IEEE 754). */
const keptDigits = 15

const [quote, escape, lineFeed, openBrace, closeBrace] = [0x22, 0x5c, 0x0a, 0x7b, 0x7d]
const [openBracket, closeBracket] = [0x5b, 0x5d]
/** Blanks, and the bytes of UTF-8's mark. */
const isBlank = (byte: number): boolean =>
  byte === 0x20 || byte === 0x09 || byte === 0x0d || byte === 0xef || byte === 0xbb || byte === 0xbf
/** Letters that a number or a bare word is made of. */
const inToken = Uint8Array.from({ length: 256 }, (_, byte) =>
  Number(/[-+.0-9A-Za-z]/.test(String.fromCharCode(byte))),
)

/** Would a double change this number, or is it none of JSON? */
export function needsQuotes(token: string): boolean {
  // most are short, and none of these
  if (token.length <= keptDigits && !/[NIe]/i.test(token)) return false
  if (/^-?(NaN|Infinity)$/.test(token)) return true
  const number = /^-?(\d+)(?:\.(\d+))?([eE][+-]?\d+)?$/.exec(token)
  if (!number) return false
  const digits = `${number[1]}${number[2] ?? ''}`.replace(/^0+/, '')
  const significant = number[2] === undefined ? digits : digits.replace(/0+$/, '')
  // beyond the range of doubles, or with so long an exponent that it may be
  return significant.length > keptDigits || Math.abs(Number(number[3]?.slice(1) ?? 0)) > 290
}

/** Goes through bytes of JSON; what it gives back for a chunk is the chunk itself where nothing had to be changed. */
export class ExactNumbers {
  /** Tokens that were laid into quotes, and lines that are no record. */
  changes = 0
  private quoted = false
  private escaped = false
  /** The beginning of a token that goes on in the next chunk. */
  private held = ''
  private lineStart = true
  private skipping = false
  /** Braces and brackets that are open. */
  private depth = 0
  /** Bytes of the line that a chunk ended in. */
  private length = 0

  constructor(private readonly byLine: boolean) {}

  take(chunk: Buffer): Buffer {
    const pieces: Buffer[] = []
    /** What of the chunk is written so far, and where its open token begins. */
    let from = 0
    let begins = this.held === '' ? -1 : 0
    const put = (to: number, more: string) => {
      pieces.push(chunk.subarray(from, to), Buffer.from(more, 'utf8'))
    }
    const close = (at: number) => {
      const token = this.held + chunk.toString('latin1', begins, at)
      if (needsQuotes(token)) {
        this.changes++
        put(begins, `"${mark}${token}"`)
        from = at
      } else if (this.held !== '') {
        put(begins, token)
        from = at
      }
      this.held = ''
      begins = -1
    }
    if (this.byLine) this.refuseLong(chunk)
    for (let i = 0; i < chunk.length; i++) {
      const byte = chunk[i]!
      if (this.byLine) {
        if (byte === lineFeed) {
          if (begins >= 0) close(i)
          // a line break ends a record, whatever was open in it: behind one that ends with a colon DuckDB (1.5.5) would look
          // no further for the types of the others
          if (!this.lineStart && !this.skipping && (this.quoted || this.depth !== 0)) {
            this.changes++
            put(i, '!')
            from = i
          }
          this.depth = 0
          this.lineStart = true
          this.skipping = false
          this.quoted = false
          this.escaped = false
          continue
        }
        if (this.skipping) continue
        if (this.lineStart && !isBlank(byte)) {
          this.lineStart = false
          if (byte !== openBrace) {
            // no record: made to be none for every reader
            this.changes++
            put(i, '!')
            from = i
            this.skipping = true
            continue
          }
        }
      }
      if (this.quoted) {
        if (this.escaped) this.escaped = false
        else if (byte === escape) this.escaped = true
        else if (byte === quote) this.quoted = false
        continue
      }
      if (inToken[byte]) {
        if (begins < 0) begins = i
        continue
      }
      if (begins >= 0) close(i)
      if (byte === quote) this.quoted = true
      else if (byte === openBrace || byte === openBracket) this.deeper()
      else if (byte === closeBrace || byte === closeBracket) this.depth--
    }
    if (begins >= 0) {
      // it may go on: it is written when it is whole
      this.held += chunk.toString('latin1', begins)
      pieces.push(chunk.subarray(from, begins))
    } else pieces.push(chunk.subarray(from))
    return pieces.length === 1 ? pieces[0]! : Buffer.concat(pieces)
  }

  /** Holds lines to what they may be at most. @throws FaultError `file` */
  private refuseLong(chunk: Buffer): void {
    const last = chunk.lastIndexOf(lineFeed)
    this.length = last < 0 ? this.length + chunk.length : chunk.length - last
    const refusal = lineRefusal(this.length)
    if (refusal !== undefined) fail('file', refusal)
  }

  /** @throws FaultError `file` beyond what readers take: some end their process */
  private deeper(): void {
    this.depth++
    const refusal = depthRefusal(this.depth)
    if (refusal !== undefined) fail('file', refusal)
  }

  /** What is left at the end. */
  end(): Buffer {
    const token = this.held
    this.held = ''
    if (!needsQuotes(token)) return Buffer.from(token, 'latin1')
    this.changes++
    return Buffer.from(`"${mark}${token}"`, 'utf8')
  }
}

const streamOf = (full: string, format: FileFormat): Readable => {
  const file = createReadStream(full, { highWaterMark: 1 << 20 })
  return format.gzip ? piped(file, ...unpacking()) : file
}

/**
 * The path to read a file from so that it keeps its numbers: its own, where none would change, or that of a copy in
 * `folder`, unpacked.
 */
export async function exactPath(
  full: string,
  format: FileFormat,
  folder: string,
  name: string,
  always = false,
): Promise<string> {
  const looking = new ExactNumbers(format.kind === 'ndjson')
  for await (const chunk of streamOf(full, format) as AsyncIterable<Buffer>) {
    looking.take(chunk)
    if (looking.changes > 0) break
  }
  looking.end()
  if (looking.changes === 0 && !always) return full
  await mkdir(folder, { recursive: true })
  const copy = join(folder, name)
  const writing = new ExactNumbers(format.kind === 'ndjson')
  await pipeline(
    streamOf(full, format),
    new Transform({
      transform: (chunk: Buffer, _encoding, done) => done(null, writing.take(chunk)),
      flush: (done) => done(null, writing.end()),
    }),
    createWriteStream(copy),
  )
  return copy
}
