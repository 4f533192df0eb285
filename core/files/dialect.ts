import type { FileFormat } from '../catalog/found'
import { classOf } from '../catalog/valueClass'
import { classesOf, findTable, type TablePlace } from './header'
import { fieldsOf, hasQuotes, endsOf, quickRecords, type Layout } from './layout'

const delimiters = [',', ';', '\t', '|', '~', '^', '\u0001', '\u001f'] as const

/** Records that are looked at. */
const looked = 100

export interface Dialect {
  readonly format: FileFormat
  readonly names: readonly string[]
  /** Share of the records looked at that have the commonest number of fields; 0 where that is one. */
  readonly even: number
  /** Records that were looked at. */
  readonly records: number
  /** What a person should know of it, in words: names that were given, what stands around the table. */
  readonly said: readonly string[]
}

/** What is known of a text besides its beginning. */
export interface TextEnd {
  /** The text is the whole file. */
  readonly whole: boolean
  /** Where it is not: the end of the file, from anywhere in a line on. */
  readonly end?: string | undefined
}

/**
 * The dialect of a text table, worked out over its beginning: the delimiter whose records have the same number of
 * fields most often (more fields where two are as good), else blanks or fixed widths; lines of comments at its head,
 * what stands above and below the table, the lines of its header or none, units below it, a decimal comma. Undefined
 * where there is no record.
 */
export function findDialect(text: string, { whole, end }: TextEnd = { whole: true }): Dialect | undefined {
  const comment = /^\uFEFF?[ \t]*#/.test(text) ? '#' : undefined
  const plain = comment ? withoutComments(text) : text
  const quote = quoteOf(plain)
  const escape = escapeOf(plain, quote)
  // those that are nowhere in it all read it as one column: one of them stands for them
  const nowhere = delimiters.find((delimiter) => !plain.includes(delimiter))
  const tried = delimiters
    .filter((delimiter) => delimiter === nowhere || plain.includes(delimiter))
    .map((delimiter) => {
      const layout: Layout = { delimiter, quote, ...(escape ? { escape } : {}) }
      const found = quickRecords(plain, layout, { limit: looked, whole })
      return { layout, found, ...evenness(found.map(({ fields }) => fields)) }
    })
  tried.sort((a, b) => b.even - a.even || b.width - a.width)
  const best = (tried[0]!.even < 0.6 ? lineLayout(plain, whole) : undefined) ?? tried[0]!
  const records = best.found.map(({ fields }) => fields)
  const place = findTable(records, lastRecords(plain, best.layout, records.length, { whole, end }))
  if (!place) return undefined
  // readers count lines, blank ones and comments among them
  const begins = best.found[place.skip]?.at ?? 0
  const skip = place.skip > 0 ? plain.slice(0, begins).split(/\r\n|\r|\n/).length - 1 : 0
  const from = place.skip + place.heads + place.under
  const cells = records.slice(from, from + 40).flatMap(classesOf)
  const delimiter = best.width > 1 ? best.layout.delimiter : best.layout.widths ? undefined : ','
  const comma = cells.includes('decimal-comma') && !cells.includes('decimal') && delimiter !== ','
  const ends = endsOf(plain, best.layout, whole)
  return {
    names: place.names,
    said: place.said,
    even: best.even,
    records: records.length,
    format: {
      kind: 'csv',
      ...(delimiter === undefined ? {} : { delimiter }),
      ...(best.layout.widths ? { widths: best.layout.widths } : {}),
      ...(hasQuotes(best.layout) && quote !== '"' ? { quote } : {}),
      ...(hasQuotes(best.layout) && escape ? { escape } : {}),
      ...partsOf(place),
      ...(skip > 0 ? { skip } : {}),
      ...(comment ? { comment } : {}),
      ...(comma ? { decimal: ',' as const } : {}),
      ...(ends ? { ends } : {}),
    },
  }
}

/** Which records of a text are header, units, rows and what stands below them. */
export const partsOf = ({
  header,
  heads,
  under,
  tail,
}: TablePlace): Pick<FileFormat, 'header' | 'heads' | 'under' | 'tail'> => ({
  header,
  ...(heads > 1 ? { heads } : {}),
  ...(under > 0 ? { under } : {}),
  ...(tail > 0 ? { tail } : {}),
})

/** The records at the end, where those looked at do not go so far; null where they are not known. */
function lastRecords(text: string, layout: Layout, seen: number, { whole, end }: TextEnd) {
  if (whole && seen < looked) return undefined
  const rest = whole ? text : end
  if (rest === undefined) return null
  const begins = rest.slice(-8192).search(/[\r\n]/)
  if (begins < 0) return null
  const records = quickRecords(rest.slice(-8192).slice(begins), layout, { whole: true, limit: Infinity })
  return records.slice(-40).map(({ fields }) => fields)
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

/** A backslash before a quote that is not the last of its field, where none is doubled; or `\N` for nothing as fields. */
function escapeOf(text: string, quote: string): '\\' | undefined {
  if (!text.includes('\\')) return undefined
  const inside = text.match(new RegExp(`[^\\\\]\\\\${quote}(?![,;\\t|]?[\\r\\n]|[,;\\t|]${quote}|$)`, 'g'))
  const doubled = text.match(new RegExp(`[^,;\\t|\\r\\n\\\\]${quote}${quote}[^,;\\t|\\r\\n]`, 'g'))
  if (inside && !doubled) return '\\'
  return /(^|[,;\t|\n])\\N([,;\t|\r\n]|$)/.test(text) ? '\\' : undefined
}

/** Share of the records that have the commonest number of fields, 0 where that is one; the number itself. */
function evenness(records: readonly (readonly string[])[]): { even: number; width: number } {
  const counts = new Map<number, number>()
  for (const { length } of records) counts.set(length, (counts.get(length) ?? 0) + 1)
  const [width, count] = [...counts].sort((a, b) => b[1] - a[1] || b[0] - a[0])[0] ?? [0, 0]
  return { even: width > 1 ? count / records.length : 0, width }
}

/**
 * Lines without a delimiter whose columns stand below each other: parted by blanks where each line then has the same
 * number of fields, else of fixed widths. Only where a column holds values, since texts have blanks, too.
 */
function lineLayout(text: string, whole: boolean) {
  const all = quickRecords(text, { widths: [Infinity] }, { limit: looked, whole })
  if (all.length < 2) return undefined
  const lines = all.map(({ at }) => text.slice(at).split(/\r\n|\r|\n/, 1)[0]!)
  for (const layout of [{ delimiter: 'blanks' }, ...widthsOf(lines)]) {
    const found = all.map(({ at }, i) => ({ at, fields: fieldsOf(lines[i]!, layout) }))
    const even = evenness(found.map(({ fields }) => fields))
    const parted = found.filter(({ fields }) => fields.length === even.width)
    const values = parted.slice(1).some(({ fields }) => fields.some((cell) => isValue(cell)))
    if (even.width > 1 && even.even >= 0.75 && values && (even.even === 1 || parted.length > 3))
      return { layout, found, ...even }
  }
  return undefined
}

const isValue = (cell: string): boolean =>
  !['text', 'blank', 'null-word', 'yes-word', 'no-word'].includes(classOf(cell))

/**
 * Widths by a ruled line, else those whose borders are blank in every line and have a name above them; titles above and
 * notes below are left aside.
 */
function widthsOf(lines: readonly string[]): Layout[] {
  const rule = lines.slice(0, 8).find((line) => /^ *[-=]+( +[-=]+)+ *$/.test(line))
  if (rule) {
    const starts = [...rule.matchAll(/[-=]+/g)].map(({ index }) => index)
    return [between([0, ...starts.slice(1)], Math.max(...lines.map(({ length }) => length)))]
  }
  for (const [above, below] of [
    [0, 0],
    [1, 0],
    [2, 0],
    [3, 0],
    [0, 1],
    [1, 1],
    [2, 1],
    [4, 0],
    [5, 0],
  ] as const) {
    const table = lines.slice(above, lines.length - below)
    if (table.length < 3) continue
    const length = Math.max(...table.map((line) => line.length))
    const starts: number[] = [0]
    for (let i = 1; i < length; i++)
      if (
        table.every((line) => (line[i - 1] ?? ' ') === ' ') &&
        table.some((line) => (line[i] ?? ' ') !== ' ')
      )
        starts.push(i)
    // a gap in the middle of texts has no name above it
    const named = starts.filter((start, i) => i === 0 || table[0]!.slice(start, starts[i + 1]).trim() !== '')
    if (named.length > 1) return [between(named, length)]
  }
  return []
}

const between = (starts: readonly number[], length: number): Layout => ({
  widths: starts.map((start, i) => (starts[i + 1] ?? Math.max(length, start + 1)) - start),
})
