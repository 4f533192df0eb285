/**
 * Records of a CSV text, by RFC 4180 rules 4 to 7: quoted fields may hold the delimiter, line breaks and doubled
 * quotes. A byte order mark is dropped. Blank lines give no record. A record that the text breaks off in (an open
 * quote, or no line break after it where `whole` is false) is left out.
 */
export function csvRecords(text: string, options: CsvOptions = {}): string[][] {
  return csvRecordsAt(text, options).map(({ fields }) => fields)
}

interface CsvOptions {
  readonly delimiter?: string
  readonly quote?: string
  readonly limit?: number
  readonly whole?: boolean
}

/** The same, each with the place of its first letter in the text. */
export function csvRecordsAt(
  text: string,
  { delimiter = ',', quote = '"', limit = Infinity, whole = true }: CsvOptions = {},
): { fields: string[]; at: number }[] {
  const records: { fields: string[]; at: number }[] = []
  const rest = /[\r\n]/g
  // ends that were found stay right until they are passed; a text without the delimiter is searched once, not per line
  let lineEnd = -1
  let next = -1
  let at = text.startsWith('\uFEFF') ? 1 : 0
  while (at < text.length && records.length < limit) {
    const fields: string[] = []
    const start = at
    for (;;) {
      let field = ''
      if (text[at] === quote) {
        at++
        for (;;) {
          const close = text.indexOf(quote, at)
          if (close < 0) return records
          field += text.slice(at, close)
          at = close + 1
          if (text[at] !== quote) break
          field += quote
          at++
        }
      }
      if (lineEnd < at) {
        rest.lastIndex = at
        lineEnd = rest.exec(text)?.index ?? text.length
      }
      if (next < at) {
        const found = text.indexOf(delimiter, at)
        next = found < 0 ? Infinity : found
      }
      const end = Math.min(next, lineEnd)
      fields.push(field + text.slice(at, end))
      at = end + 1
      if (end !== lineEnd) continue
      if (text[end] === '\r' && text[end + 1] === '\n') at++
      if (end >= text.length && !whole) return records
      break
    }
    if (fields.length > 1 || fields[0] !== '') records.push({ fields, at: start })
  }
  return records
}
