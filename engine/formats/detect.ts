import { open, stat, type FileHandle } from 'node:fs/promises'
import { gunzipSync, constants } from 'node:zlib'
import { fileTypeFromBuffer } from 'file-type'
import iconv from 'iconv-lite'
import { endingOf, fileKinds, formats as known, kindOfEnding, type FileKind } from '../../core/files/formats'
import type { Encoding } from '../../core/files/encodings'
import { deepest, depthRefusal } from './bounds'
import { formats } from './index'
import type { Detected } from './known'

const sampleBytes = 65_536
/** Bytes of the end that are looked at for what stands below a table. */
const endBytes = 8_192

/** What a file is by its first bytes (MIME types, as file-type knows them), in words; others are called by their type. */
const others: readonly (readonly [RegExp, string])[] = [
  [/^application\/pdf/, 'a PDF, not a table'],
  [/^application\/(x-)?cfb/, 'an office document of the old binary kind; save it as XLSX'],
  [/wordprocessingml|opendocument\.text/, 'a text document, not a table'],
  [/opendocument\.spreadsheet/, 'an OpenDocument sheet; save it as XLSX'],
  [/spreadsheetml/, 'a workbook that is not called .xlsx'],
  [/^application\/zip/, 'a zip archive'],
  [/x-7z/, 'a 7z archive'],
  [/rar/, 'a RAR archive'],
  [/x-tar/, 'a tar archive'],
  [/zstd/, 'packed with zstd; only gzip is read'],
  [/bzip2/, 'packed with bzip2; only gzip is read'],
  [/x-xz|lzip|lz4/, 'packed with xz or the like; only gzip is read'],
  [/sqlite/, 'an SQLite database, not a table'],
  [/x-elf|x-msdownload|x-mach|macho/, 'a program, not a table'],
  [/^(audio|video)\//, 'a recording, not a table'],
]

/** Names what is no table by its first bytes; undefined for text, and for what nobody knows. */
async function otherKind(head: Buffer): Promise<string | undefined> {
  // what begins with plain letters has no such mark, but for a few
  const begins = head.subarray(0, 16)
  if (
    !begins.some((byte) => byte < 9 || (byte > 13 && byte < 32) || byte >= 0x7f) &&
    !/^(%PDF|GIF8|PK|SQLite|BM|Rar!|7z|BZh)/.test(begins.toString('latin1'))
  )
    return undefined
  // cut off behind its first bytes it is one all the same
  if (head.subarray(0, 4).toString('hex') === '89504e47') return 'a PNG picture, not a table'
  const found = await fileTypeFromBuffer(head)
  if (!found || /^(text|application\/(json|x-ndjson))/.test(found.mime)) return undefined
  if (found.mime.startsWith('image/'))
    return `a ${found.ext === 'jpg' ? 'JPEG' : found.ext.toUpperCase()} picture, not a table`
  return others.find(([test]) => test.test(found.mime))?.[1] ?? `${found.mime}, not a table`
}

/** A page or a document that stands where a table should. */
function markupKind(sample: string): string | undefined {
  const text = sample
    .replace(/^\uFEFF/, '')
    .trimStart()
    .slice(0, 2000)
  if (/^(<!--[^]*?-->\s*)*(<!doctype html|<html|<head|<body)/i.test(text))
    return 'an HTML page, not a table; was it an answer that asks to sign in, or tells a fault?'
  return /^<\?xml[\s?]|^<([A-Za-z][\w:.-]*)(\s[^<>]*)?>[^]*<\/\1/.test(text)
    ? 'an XML document, not a table'
    : undefined
}

/** Formats of text. */
const textKinds = fileKinds.filter((kind) => formats[kind].begins)

/** Looks at the first 64 kB of a file, and at the end of a Parquet file. */
export async function detectFile(path: string, name: string): Promise<Detected> {
  // opening a pipe would wait for whoever writes into it
  if (!(await stat(path)).isFile()) return { reason: 'neither a file nor a folder' }
  const file = await open(path, 'r')
  try {
    const { size } = await file.stat()
    if (size === 0) return { reason: 'it is empty (0 bytes)' }
    const head = await bytesAt(file, 0, sampleBytes)
    const magic = head.subarray(0, 4).toString('hex')
    const ending = endingOf(name)
    const marked = fileKinds.find((kind) => formats[kind].mark?.bytes === magic)
    if (marked) {
      const end = (bytes: number) => bytesAt(file, Math.max(0, size - bytes), bytes)
      const reason = await formats[marked].mark!.fault({ ending, end })
      return reason === undefined
        ? { kind: marked, gzip: false, encoding: 'utf-8', sample: '', whole: false }
        : { reason }
    }
    const gzip = magic.startsWith('1f8b')
    const other =
      gzip || magic.startsWith('fffe') || magic.startsWith('feff') ? undefined : await otherKind(head)
    if (other) return { reason: other }
    const said = kindOfEnding(ending)
    if (said && formats[said.kind].mark)
      return {
        reason: `not what its ending says: it begins with ${JSON.stringify(head.toString('latin1', 0, 4))}`,
      }
    const plain = gzip ? unpacked(head) : head
    if (gzip && size <= sampleBytes && plain.length > 0 && isBroken(head))
      return { reason: 'gzip that cannot be unpacked to its end: it is broken off or damaged' }
    const whole = gzip ? size <= sampleBytes && plain.length < sampleBytes : size <= sampleBytes
    const found = ofText(plain, ending, gzip, whole)
    if ('reason' in found || whole || gzip || !known[found.kind].reads.includes('tail')) return found
    const end = await bytesAt(file, Math.max(0, size - endBytes) & ~1, endBytes + 1)
    return { ...found, end: found.encoding === 'utf-16' ? utf16(end) : decoded(end, found.encoding) }
  } finally {
    await file.close()
  }
}

async function bytesAt(file: FileHandle, at: number, length: number): Promise<Buffer> {
  const buffer = Buffer.alloc(length)
  const { bytesRead } = await file.read(buffer, 0, length, at)
  return buffer.subarray(0, bytesRead)
}

/** As much as the beginning of a gzip file unpacks to; nothing where it cannot be unpacked. */
function unpacked(head: Buffer): Buffer {
  try {
    return gunzipSync(head, { finishFlush: constants.Z_SYNC_FLUSH, maxOutputLength: 64 << 20 }).subarray(
      0,
      sampleBytes,
    )
  } catch {
    return Buffer.alloc(0)
  }
}

/** Bytes that a small archive may unpack to while it is looked at whole. */
const mostUnpacked = 64 << 20

/** Is a gzip file, which is here whole, broken off or damaged? */
function isBroken(bytes: Buffer): boolean {
  try {
    gunzipSync(bytes, { maxOutputLength: mostUnpacked })
    return false
  } catch (error) {
    // what unpacks to more is not broken for that
    return (error as { code?: string }).code !== 'ERR_BUFFER_TOO_LARGE'
  }
}

function ofText(head: Buffer, ending: string, gzip: boolean, whole: boolean): Detected {
  if (head.length === 0) return { reason: 'gzip that cannot be unpacked: it is damaged' }
  const encoding = encodingOf(head)
  if (!encoding) return { reason: 'binary data, not text' }
  const said = kindOfEnding(ending)
  // others are left alone, so that a note or half a file is not taken for data
  if (!said && ending !== '') return { reason: `a name that ends with .${ending} is not taken for a table` }
  let sample = encoding === 'utf-16' ? utf16(head) : decoded(head, encoding)
  if (!whole && encoding === 'utf-8') sample = sample.replace(/\uFFFD+$/, '')
  const markup = markupKind(sample)
  if (markup) return { reason: markup }
  // some readers would end their process; what comes deeper in the file is seen when it is read
  const deep = /^[\s\uFEFF]*[[{]/.test(sample) ? depthRefusal(deepest(sample)) : undefined
  if (deep !== undefined) return { reason: deep }
  const text = sample.replace(/^\uFEFF/, '').trimStart()
  const begins = (kind: FileKind) => formats[kind].begins?.(text, ending) ?? false
  const kind = textKinds.find(
    (one) => begins(one) && (!said?.own || known[one].family === known[said.kind].family),
  )
  if (kind === undefined)
    return {
      reason: `no ${known[said!.kind].family.toUpperCase()}: it begins with ${JSON.stringify(sample.trim().slice(0, 20))}`,
    }
  const reason = formats[kind].refuses?.(sample, ending, whole)
  if (reason !== undefined) return { reason }
  return { kind, gzip, encoding, sample, whole }
}

function utf16(bytes: Buffer): string {
  const marked = bytes[0] === 0xff && bytes[1] === 0xfe
  // without its mark: the zeros of plain letters come first in big-endian, second in little-endian
  let first = 0
  let second = 0
  for (let i = 0; i + 1 < bytes.length; i += 2) {
    if (bytes[i] === 0) first++
    if (bytes[i + 1] === 0) second++
  }
  const big = !marked && ((bytes[0] === 0xfe && bytes[1] === 0xff) || first > second)
  const even = Buffer.from(bytes.subarray(0, bytes.length - (bytes.length % 2)))
  return (big ? even.swap16() : even).toString('utf16le')
}

const decoded = (head: Buffer, encoding: Encoding): string =>
  encoding === 'utf-8' ? head.toString('utf8') : iconv.decode(head, 'windows-1252')

/**
 * UTF-16 by its mark, or by a zero in every second byte; UTF-8 where the bytes are; else windows-1252 where it uses its
 * own letters, and Latin-1. Undefined for bytes that are no text.
 */
function encodingOf(bytes: Buffer): 'utf-8' | 'utf-16' | 'latin-1' | 'windows-1252' | undefined {
  if ((bytes[0] === 0xff && bytes[1] === 0xfe) || (bytes[0] === 0xfe && bytes[1] === 0xff)) return 'utf-16'
  let zeros = 0
  const controls = new Array<number>(32).fill(0)
  for (const byte of bytes) {
    if (byte === 0) zeros++
    else if (byte < 9 || (byte > 13 && byte < 32 && byte !== 27)) controls[byte]!++
  }
  if (zeros > 0) return zeros > bytes.length * 0.3 && zeros <= bytes.length * 0.5 ? 'utf-16' : undefined
  // one of them may part fields
  const odd = controls.reduce((sum, count) => sum + count, 0) - Math.max(controls[1]!, controls[31]!)
  if (odd > bytes.length / 100) return undefined
  // a letter of several bytes may be cut by the end of the sample
  for (let cut = 0; cut < 4; cut++) {
    try {
      new TextDecoder('utf-8', { fatal: true }).decode(bytes.subarray(0, bytes.length - cut))
      return 'utf-8'
    } catch {
      continue
    }
  }
  // lines of both: those that are no UTF-8 are told by their lines
  if (isMostlyUtf8(bytes)) return 'utf-8'
  return bytes.some((byte) => byte >= 0x80 && byte < 0xa0) ? 'windows-1252' : 'latin-1'
}

/**
 * Are letters of several bytes, as UTF-8 writes them, no rarity among the bytes beyond ASCII? In a text of single bytes
 * such a pair comes by chance only, such as "Ã©".
 */
function isMostlyUtf8(bytes: Buffer): boolean {
  let letters = 0
  let others = 0
  for (let i = 0; i < bytes.length; i++) {
    const byte = bytes[i]!
    if (byte < 0x80) continue
    const length =
      byte >= 0xc2 && byte < 0xe0 ? 1 : byte >= 0xe0 && byte < 0xf0 ? 2 : byte >= 0xf0 && byte < 0xf5 ? 3 : 0
    const follows = (at: number) => at < bytes.length && (bytes[at]! & 0xc0) === 0x80
    if (length > 0 && Array.from({ length }, (_, n) => i + 1 + n).every(follows)) {
      letters++
      i += length
    } else others++
  }
  return letters > 0 && letters * 10 >= others
}
