/**
 * The fields of the first record of a CSV text, by RFC 4180 rules 4 to 7: quoted fields may hold the delimiter,
 * line breaks and doubled quotes. A byte order mark is dropped. Undefined where the text ends inside a quoted field.
 */
export function firstRecord(text: string, delimiter = ','): string[] | undefined {
  const fields: string[] = []
  let at = text.startsWith('\uFEFF') ? 1 : 0
  for (;;) {
    let field = ''
    if (text[at] === '"') {
      at++
      for (;;) {
        const quote = text.indexOf('"', at)
        if (quote < 0) return undefined
        field += text.slice(at, quote)
        at = quote + 1
        if (text[at] !== '"') break
        field += '"'
        at++
      }
    }
    const rest = /[\r\n]/g
    rest.lastIndex = at
    const lineEnd = rest.exec(text)?.index ?? text.length
    const next = text.indexOf(delimiter, at)
    const end = next >= 0 && next < lineEnd ? next : lineEnd
    fields.push(field + text.slice(at, end))
    if (end === lineEnd) return fields
    at = end + 1
  }
}
