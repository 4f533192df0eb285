import { csvRecordsAt } from './csvRecords'

/** How the text of a table is laid out. What is left out has its usual value: that of CSV by RFC 4180. */
export interface Layout {
  /** The letter between two fields; `blanks`: any number of blanks and tabs. */
  readonly delimiter?: string | undefined
  readonly quote?: string | undefined
  /** The letter that takes the meaning of the one behind it away; a doubled quote needs none. */
  readonly escape?: '\\' | undefined
  /** Letters of each column of a line; what is beyond the last is its own. */
  readonly widths?: readonly number[] | undefined
}

export interface LaidRecord {
  readonly fields: readonly string[]
  /** Place of its first letter in the text. */
  readonly at: number
  /** Fields that are empty within quotes: a text of no letters, where a field of nothing is nothing. */
  readonly empty: readonly number[]
}

/** Has the text of this layout quotes that may hold line breaks? */
export const hasQuotes = ({ delimiter, widths }: Layout): boolean => delimiter !== 'blanks' && !widths

/**
 * The records of a text in any layout, whichever way its lines end (CR LF, LF, CR, by turns). Lines without anything
 * give none. `used`: letters up to the end of the last record that is whole; where `whole` says that more comes, the
 * rest is to be put before it.
 */
export function recordsOf(
  text: string,
  layout: Layout,
  whole = true,
  limit = Infinity,
): { readonly records: LaidRecord[]; readonly used: number } {
  return hasQuotes(layout) ? delimited(text, layout, whole, limit) : lines(text, layout, whole, limit)
}

function lines(text: string, layout: Layout, whole: boolean, limit: number) {
  const records: LaidRecord[] = []
  let at = text.startsWith('\uFEFF') ? 1 : 0
  while (at < text.length && records.length < limit) {
    const end = lineEnd(text, at)
    // a CR at the very end may be half of a line's end
    if (!whole && (end >= text.length || (text[end] === '\r' && end + 1 >= text.length))) break
    const line = text.slice(at, end)
    if (line.trim() !== '') records.push({ fields: fieldsOf(line, layout), at, empty: [] })
    at = end + (text[end] === '\r' && text[end + 1] === '\n' ? 2 : 1)
  }
  return { records, used: Math.min(at, text.length) }
}

function lineEnd(text: string, from: number): number {
  const ends = /[\r\n]/g
  ends.lastIndex = from
  return ends.exec(text)?.index ?? text.length
}

/** Fields of a line of fixed widths, or parted by blanks: without blanks around them. */
export function fieldsOf(line: string, { widths }: Layout): string[] {
  if (!widths) return line.trim().split(/[ \t]+/)
  let at = 0
  return widths.map((width, i) => {
    const field = i === widths.length - 1 ? line.slice(at) : line.slice(at, at + width)
    at += width
    return field.trim()
  })
}

function delimited(text: string, layout: Layout, whole: boolean, limit: number) {
  const { delimiter = ',', quote = '"', escape } = layout
  const records: LaidRecord[] = []
  let at = text.startsWith('\uFEFF') ? 1 : 0
  let used = at
  const broken = { records, get used() { return used } } // prettier-ignore
  while (at < text.length && records.length < limit) {
    const start = at
    const fields: string[] = []
    const empty: number[] = []
    for (;;) {
      let field = ''
      let quoted = false
      if (text[at] === quote) {
        quoted = true
        at++
        for (;;) {
          let close = at
          while (close < text.length && text[close] !== quote && text[close] !== escape) close++
          field += text.slice(at, close)
          if (close >= text.length) return broken
          at = close + 1
          if (text[close] === escape && escape !== quote) {
            if (at >= text.length) return broken
            field += unescaped(text[at]!)
            at++
          } else if (text[at] === quote) {
            field += quote
            at++
          } else break
        }
        if (!whole && at >= text.length) return broken
      }
      for (;;) {
        let end = at
        while (
          end < text.length &&
          text[end] !== '\n' &&
          text[end] !== '\r' &&
          text[end] !== escape &&
          !text.startsWith(delimiter, end)
        )
          end++
        field += text.slice(at, end)
        at = end
        if (text[at] !== escape || escape === undefined) break
        if (at + 1 >= text.length) {
          if (!whole) return broken
          field += escape
          at++
          break
        }
        // the sign of nothing stays as it is, to be known as that
        field += text[at + 1] === 'N' ? '\\N' : unescaped(text[at + 1]!)
        at += 2
      }
      if (quoted && field === '') empty.push(fields.length)
      fields.push(field)
      if (at < text.length && text.startsWith(delimiter, at)) {
        at += delimiter.length
        continue
      }
      break
    }
    if (!whole && (at >= text.length || (text[at] === '\r' && at + 1 >= text.length))) return broken
    at += text[at] === '\r' && text[at + 1] === '\n' ? 2 : 1
    if (fields.length > 1 || fields[0] !== '' || empty.length > 0) records.push({ fields, at: start, empty })
    used = Math.min(at, text.length)
  }
  return { records, used }
}

/** What a letter behind a backslash stands for: a tab, line breaks; any other for itself. */
const unescaped = (letter: string): string => ({ t: '\t', n: '\n', r: '\r', '0': '\0' })[letter] ?? letter

/**
 * How the lines of a text end: `mixed` in more ways than one, or by CR alone, which plain readers do not take. Breaks
 * within quotes are values, and do not count. Undefined where there is no CR in the text, which is what most is like.
 */
export function endsOf(text: string, layout: Layout, whole: boolean): 'lf' | 'crlf' | 'mixed' | undefined {
  if (!text.includes('\r')) return undefined
  const ends = new Set<string>()
  const end = (place: number) => {
    if (text[place] === '\n') ends.add(text[place - 1] === '\r' ? 'crlf' : 'lf')
    else if (text[place] === '\r' && place + 1 < text.length) ends.add('cr')
  }
  if (hasQuotes(layout)) {
    const { records, used } = recordsOf(text, layout, whole)
    for (const { at } of records.slice(1)) end(at - 1)
    end(used - 1)
  } else for (const { index, 0: found } of text.matchAll(/\r\n|\r|\n/g)) end(index + found.length - 1)
  if (ends.size === 0) return undefined
  return ends.size > 1 || ends.has('cr') ? 'mixed' : ends.has('crlf') ? 'crlf' : 'lf'
}

/** Where a text goes on behind its first lines, whichever way they end; its end where it has no more. */
export function behindLines(text: string, lines: number): number {
  const ends = /\r\n|\r|\n/g
  for (let i = 0; i < lines; i++) if (!ends.exec(text)) return text.length
  return ends.lastIndex
}

/** Records of CSV as most of it is written, by the quick reader; else by the one that takes any layout. */
export function quickRecords(
  text: string,
  layout: Layout,
  { whole, limit }: { readonly whole: boolean; readonly limit: number },
): { readonly fields: readonly string[]; readonly at: number }[] {
  const { delimiter = ',', quote = '"', escape } = layout
  return escape === undefined && hasQuotes(layout) && delimiter.length === 1
    ? csvRecordsAt(text, { delimiter, quote, limit, whole })
    : recordsOf(text, layout, whole, limit).records
}
