import { csvRecordsAt } from './csvRecords'
import type { FileFormat } from '../catalog/found'
import { findTable } from './header'
import { classOf } from '../catalog/valueClass'

const delimiters = [',', ';', '\t', '|'] as const

/** Records that are looked at. */
const looked = 100

export interface Dialect {
  readonly format: FileFormat
  readonly names: readonly string[]
}

/**
 * The dialect of a CSV text, worked out over its beginning: the delimiter whose records have the same number of
 * fields most often (more fields where two are as good), lines of comments at its head, records above the header, a
 * header or none, a decimal comma. `whole` says that the text is the whole file. Undefined where there is no record.
 */
export function findDialect(text: string, whole = true): Dialect | undefined {
  const comment = /^\uFEFF?[ \t]*#/.test(text) ? '#' : undefined
  const plain = comment ? withoutComments(text) : text
  const quote = quoteOf(plain)
  const tried = delimiters.map((delimiter) => {
    const found = csvRecordsAt(plain, { delimiter, quote, limit: looked, whole })
    const records = found.map(({ fields }) => fields)
    return { delimiter, found, records, ...evenness(records) }
  })
  tried.sort((a, b) => b.even - a.even || b.width - a.width)
  const best = tried[0]!
  const place = findTable(best.records)
  if (!place) return undefined
  // readers count lines, blank ones and comments among them
  const begins = best.found[place.skip]?.at ?? 0
  const skip = place.skip > 0 ? plain.slice(0, begins).split('\n').length - 1 : 0
  const cells = best.records
    .slice(place.skip + (place.header ? 1 : 0))
    .flat()
    .map(classOf)
  const comma = cells.includes('decimal-comma') && !cells.includes('decimal') && best.delimiter !== ','
  return {
    names: place.names,
    format: {
      kind: 'csv',
      delimiter: best.width > 1 ? best.delimiter : ',',
      ...(quote === '"' ? {} : { quote }),
      header: place.header,
      ...(skip > 0 ? { skip } : {}),
      ...(comment ? { comment } : {}),
      ...(comma ? { decimal: ',' as const } : {}),
    },
  }
}

/** Comments become blank lines, so that lines keep their numbers. */
function withoutComments(text: string): string {
  return text
    .split('\n')
    .map((line) => (/^\uFEFF?[ \t]*#/.test(line) ? '' : line))
    .join('\n')
}

/** Single quotes only where fields begin and end with them and no double quote does. */
function quoteOf(text: string): string {
  const opens = (quote: string) => (text.match(new RegExp(`(^|[,;\\t|\\n])${quote}`, 'g')) ?? []).length
  const closes = (quote: string) => (text.match(new RegExp(`${quote}([,;\\t|\\r\\n]|$)`, 'g')) ?? []).length
  return opens('"') === 0 && opens("'") >= 2 && closes("'") >= 2 ? "'" : '"'
}

/** Share of the records that have the commonest number of fields, 0 where that is one; the number itself. */
function evenness(records: readonly (readonly string[])[]): { even: number; width: number } {
  const counts = new Map<number, number>()
  for (const { length } of records) counts.set(length, (counts.get(length) ?? 0) + 1)
  const [width, count] = [...counts].sort((a, b) => b[1] - a[1] || b[0] - a[0])[0] ?? [0, 0]
  return { even: width > 1 ? count / records.length : 0, width }
}
