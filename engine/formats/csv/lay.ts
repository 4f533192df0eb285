import { StringDecoder } from 'node:string_decoder'
import { Transform } from 'node:stream'
import type { FileFormat } from '../../../core/catalog/found'
import { fail } from '../../../core/fault'
import { recordsOf } from '../../../core/files/layout'

/** Is the text of a CSV laid out so that DuckDB's reader does not take it as it is? Then a plain copy is read. */
export const isOdd = ({ delimiter, widths, escape, ends, heads, under, tail }: FileFormat): boolean =>
  delimiter === 'blanks' ||
  (delimiter?.length ?? 1) > 1 ||
  ends === 'mixed' ||
  [widths, escape, heads, under, tail].some((value) => value !== undefined)

/** Records above the rows: the header's lines and those below it. */
export const recordsAbove = ({ header = true, heads = 1, under = 0 }: FileFormat): number =>
  (header ? heads : 0) + under

/** Letters that one record may have. */
const longestRecord = 64 << 20

/** How the plain copy is read. */
export const plainFormat = ({ kind, decimal }: FileFormat): FileFormat => ({
  kind,
  delimiter: ',',
  header: false,
  ends: 'lf',
  ...(decimal ? { decimal } : {}),
})

/** Bytes of a text in UTF-8 of any layout as CSV by RFC 4180: its rows alone. @throws FaultError `file` */
export function layPlain(format: FileFormat): Transform {
  const decoder = new StringDecoder('utf8')
  const tail = format.tail ?? 0
  let rest = ''
  let skip = format.skip ?? 0
  let above = recordsAbove(format)
  const held: string[] = []
  const take = (more: string, whole: boolean): string => {
    rest += more
    while (skip > 0) {
      const end = /\r\n|\r(?=[^])|\n/.exec(rest)
      if (!end) {
        if (whole) rest = ''
        return ''
      }
      rest = rest.slice(end.index + end[0].length)
      skip--
    }
    const { records, used } = recordsOf(rest, format, whole)
    const lines: string[] = []
    for (const { fields, at, empty } of records) {
      if (format.comment !== undefined && rest.startsWith(format.comment, at)) continue
      if (above > 0) above--
      else {
        held.push(csvLine(fields, empty, format.escape !== undefined))
        if (held.length > tail) lines.push(held.shift()!)
      }
    }
    rest = rest.slice(used)
    // a quote that is never closed: what it swallows is one broken line
    if (whole && rest.trim() !== '') lines.push(...held.splice(0, held.length), `${quoted(rest)}\n`)
    if (rest.length > longestRecord)
      fail('file', `a line of more than ${longestRecord >> 20} MB; is a quote not closed, or is it no table?`)
    return lines.join('')
  }
  return new Transform({
    transform(chunk: Buffer, _encoding, done) {
      try {
        done(null, take(decoder.write(chunk), false))
      } catch (error) {
        done(error as Error)
      }
    },
    flush(done) {
      try {
        done(null, take(decoder.end(), true))
      } catch (error) {
        done(error as Error)
      }
    },
  })
}

const quoted = (field: string): string => `"${field.replaceAll('"', '""')}"`

/** A field of nothing stays bare, a text of no letters gets its quotes: the reader tells them apart by these. */
function csvLine(fields: readonly string[], empty: readonly number[], escapes: boolean): string {
  const cells = fields.map((field, i) => {
    if (escapes && field === '\\N') return ''
    if (field === '') return empty.includes(i) ? '""' : ''
    return /[",\r\n]/.test(field) ? quoted(field) : field
  })
  // a line of nothing would read as no record at all
  return `${cells.length === 1 && cells[0] === '' ? '""' : cells.join(',')}\n`
}
