import { posix } from 'node:path'
import type { Readable } from 'node:stream'
import { SaxesParser, type SaxesTagPlain } from 'saxes'
import yauzl from 'yauzl'

/** A row of a sheet: its number there, from 1, and the texts of its cells from the first column on. */
export interface SheetRow {
  readonly number: number
  readonly cells: readonly string[]
}

/** What a number shows in its style: a plain number, a point in time, a time of day, a span that may be over a day. */
type Shown = 'number' | 'date' | 'clock' | 'span'

export interface Workbook {
  readonly sheets: readonly string[]
  /** The rows of a sheet in their order, as a stream; blank ones are left out where the file leaves them out. */
  rows(sheet: string): AsyncGenerator<SheetRow>
  close(): void
}

/**
 * Opens an XLSX file (ECMA-376, Office Open XML SpreadsheetML). What cells refer to, texts and styles, is read first,
 * wherever in the archive it lies; the sheets are then read as streams.
 * @throws Error where it is no such file, or is damaged
 */
export async function openWorkbook(path: string): Promise<Workbook> {
  const zip = await new Promise<yauzl.ZipFile>((resolve, reject) =>
    yauzl.open(path, { lazyEntries: true, autoClose: false }, (error, file) =>
      error ? reject(error) : resolve(file),
    ),
  )
  try {
    const entries = await entriesOf(zip)
    const stream = (name: string): Promise<Readable> | undefined => {
      const entry = entries.get(name)
      return (
        entry &&
        new Promise((resolve, reject) =>
          zip.openReadStream(entry, (error, found) => (error ? reject(error) : resolve(found))),
        )
      )
    }
    const book = await readBook(stream)
    const targets = await readTargets(stream)
    const dates = await readDateStyles(stream)
    const texts = await readTexts(stream)
    const places = new Map(book.sheets.map(({ name, id }) => [name, targets.get(id)]))
    return {
      sheets: book.sheets.map(({ name }) => name),
      close: () => zip.close(),
      rows: async function* (sheet) {
        const place = places.get(sheet)
        const source = place === undefined ? undefined : await stream(place)
        if (source) yield* rowsOf(source, texts, dates, book.from1904)
      },
    }
  } catch (error) {
    zip.close()
    throw error
  }
}

function entriesOf(zip: yauzl.ZipFile): Promise<Map<string, yauzl.Entry>> {
  return new Promise((resolve, reject) => {
    const entries = new Map<string, yauzl.Entry>()
    zip.on('error', reject)
    zip.on('end', () => resolve(entries))
    zip.on('entry', (entry: yauzl.Entry) => {
      entries.set(entry.fileName, entry)
      zip.readEntry()
    })
    zip.readEntry()
  })
}

type Open = (name: string) => Promise<Readable> | undefined
interface Handlers {
  open?(name: string, attributes: Record<string, string>): void
  close?(name: string): void
  text?(text: string): void
}

const local = (name: string): string => name.slice(name.indexOf(':') + 1)

function parserOf(handlers: Handlers): SaxesParser {
  const parser = new SaxesParser()
  parser.on('error', (error) => {
    throw error
  })
  parser.on('opentag', (tag: SaxesTagPlain) => handlers.open?.(local(tag.name), tag.attributes))
  parser.on('closetag', (tag) => handlers.close?.(local(tag.name)))
  parser.on('text', (text) => handlers.text?.(text))
  return parser
}

/** Reads a part of the archive whole; a part that is not there is read as empty. */
async function readPart(open: Open, name: string, handlers: Handlers): Promise<void> {
  const source = await open(name)
  if (!source) return
  const parser = parserOf(handlers)
  source.setEncoding('utf8')
  for await (const chunk of source as AsyncIterable<string>) parser.write(chunk)
  parser.close()
}

async function readBook(open: Open): Promise<{ sheets: { name: string; id: string }[]; from1904: boolean }> {
  const sheets: { name: string; id: string }[] = []
  let from1904 = false
  await readPart(open, 'xl/workbook.xml', {
    open: (name, attributes) => {
      if (name === 'workbookPr') from1904 = ['1', 'true'].includes(attributes.date1904 ?? '')
      if (name !== 'sheet') return
      const id = Object.entries(attributes).find(([key]) => key === 'id' || key.endsWith(':id'))?.[1]
      sheets.push({ name: attributes.name ?? '', id: id ?? '' })
    },
  })
  if (sheets.length === 0) throw new Error('it has no workbook with sheets')
  return { sheets, from1904 }
}

/** Where the parts lie that the workbook refers to, by their relationship's id. */
async function readTargets(open: Open): Promise<Map<string, string>> {
  const targets = new Map<string, string>()
  await readPart(open, 'xl/_rels/workbook.xml.rels', {
    open: (name, { Id, Target }) => {
      if (name === 'Relationship' && Id && Target)
        targets.set(Id, Target.startsWith('/') ? Target.slice(1) : posix.join('xl', Target))
    },
  })
  return targets
}

/** Built-in number formats that show a date or a time (ECMA-376 part 1, 18.8.30). */
const builtInDates = (id: number): boolean =>
  (id >= 14 && id <= 22) || (id >= 27 && id <= 36) || (id >= 45 && id <= 47) || (id >= 50 && id <= 58)

/** 45 to 47 show minutes and seconds, 46 of them over a day; 18 to 21 show times. */
function builtIn(id: number): Shown {
  if (!builtInDates(id)) return 'number'
  if (id === 46) return 'span'
  return (id >= 18 && id <= 21) || id === 45 || id === 47 ? 'clock' : 'date'
}

/** What a number format's code shows. What stands in quotes, brackets or behind a backslash does not count. */
function shownBy(code: string): Shown {
  const plain = code
    .split(';')[0]!
    .replace(/"[^"]*"|\[(?!h+\]|m+\]|s+\])[^\]]*\]|\\.|_.|\*./gi, '')
    .replace(/general|am\/pm|a\/p/gi, '')
  if (/\[(h+|m+|s+)\]/i.test(plain)) return 'span'
  if (/[yd]/i.test(plain)) return 'date'
  if (/[hs]/i.test(plain)) return 'clock'
  return /m/i.test(plain) ? 'date' : 'number'
}

/** For each style of a cell: what its number shows. */
async function readDateStyles(open: Open): Promise<Shown[]> {
  const codes = new Map<number, string>()
  const styles: Shown[] = []
  let inCells = false
  await readPart(open, 'xl/styles.xml', {
    open: (name, attributes) => {
      if (name === 'numFmt') codes.set(Number(attributes.numFmtId), attributes.formatCode ?? '')
      if (name === 'cellXfs') inCells = true
      if (name !== 'xf' || !inCells) return
      const id = Number(attributes.numFmtId ?? 0)
      const code = codes.get(id)
      styles.push(code === undefined ? builtIn(id) : shownBy(code))
    },
    close: (name) => {
      if (name === 'cellXfs') inCells = false
    },
  })
  return styles
}

/** The texts that cells share; phonetic hints do not count. */
async function readTexts(open: Open): Promise<string[]> {
  const texts: string[] = []
  let text = ''
  let inText = false
  let hint = 0
  await readPart(open, 'xl/sharedStrings.xml', {
    open: (name) => {
      if (name === 'si') text = ''
      if (name === 'rPh') hint++
      inText = name === 't' && hint === 0
    },
    text: (part) => {
      if (inText) text += part
    },
    close: (name) => {
      if (name === 't') inText = false
      if (name === 'rPh') hint--
      if (name === 'si') texts.push(text)
    },
  })
  return texts
}

async function* rowsOf(
  source: Readable,
  texts: readonly string[],
  dates: readonly Shown[],
  from1904: boolean,
): AsyncGenerator<SheetRow> {
  const ready: SheetRow[] = []
  let number = 0
  let formula = false
  let row: string[] = []
  let column = 0
  let type = 'n'
  let style = 0
  let value = ''
  let taking = false
  const parser = parserOf({
    open: (name, attributes) => {
      if (name === 'row') {
        row = []
        column = -1
        number = attributes.r === undefined ? number + 1 : Number(attributes.r)
      } else if (name === 'c') {
        column = attributes.r === undefined ? column + 1 : columnOf(attributes.r)
        type = attributes.t ?? 'n'
        style = Number(attributes.s ?? 0)
        value = ''
        formula = false
      } else if (name === 'f') formula = true
      else if (name === 'v' || name === 't') taking = true
    },
    text: (part) => {
      if (taking) value += part
    },
    close: (name) => {
      if (name === 'v' || name === 't') taking = false
      else if (name === 'c') {
        while (row.length < column) row.push('')
        // a result that was never worked out is no empty cell
        if (formula && value === '' && type === 'n')
          throw new Error(
            `row ${number}, column ${column + 1}: a formula whose result was never kept; open the file in a program for sheets and save it`,
          )
        row[column] = cellText(type, value, texts, dates[style] ?? 'number', from1904)
      } else if (name === 'row') ready.push({ number, cells: row })
    },
  })
  source.setEncoding('utf8')
  for await (const chunk of source as AsyncIterable<string>) {
    parser.write(chunk)
    yield* ready
    ready.length = 0
  }
  parser.close()
  yield* ready
}

/** The column of a reference such as `AB12`, from 0. */
function columnOf(reference: string): number {
  let column = 0
  for (const letter of /^[A-Z]+/i.exec(reference)?.[0].toUpperCase() ?? 'A')
    column = column * 26 + letter.charCodeAt(0) - 64
  return column - 1
}

function cellText(
  type: string,
  value: string,
  texts: readonly string[],
  shown: Shown,
  from1904: boolean,
): string {
  switch (type) {
    case 's':
      return texts[Number(value)] ?? ''
    case 'b':
      return value === '' ? '' : value === '1' ? 'true' : 'false'
    case 'n': {
      if (value === '') return ''
      const number = Number(value)
      if (!Number.isFinite(number)) return value
      if (shown !== 'number') return dateText(number, from1904, shown)
      // digits as they are written: a number of JavaScript's has 15 of them for certain
      return /^-?[0-9]+(\.[0-9]+)?$/.test(value) ? value : String(number)
    }
    default:
      return value
  }
}

/**
 * A serial number as ISO 8601 text: days since the end of 1899 (or 1904), to the millisecond, which is what a double
 * keeps of it. Before March 1900 the first system counts a day that never was. A time of day is one below 1 that is
 * shown as such, and in the first system any below 1; a span is hours, minutes and seconds, however many.
 */
export function dateText(serial: number, from1904 = false, shown: Shown = 'date'): string {
  const milliseconds = Math.round(serial * 86_400_000)
  const part = milliseconds % 1000 === 0 ? 0 : 4
  if (shown === 'span') {
    const all = Math.abs(milliseconds)
    const two = (value: number) => String(Math.floor(value)).padStart(2, '0')
    const fraction = all % 1000 === 0 ? '' : `.${String(all % 1000).padStart(3, '0')}`
    return `${milliseconds < 0 ? '-' : ''}${two(all / 3_600_000)}:${two((all / 60_000) % 60)}:${two((all / 1000) % 60)}${fraction}`
  }
  const first = from1904 ? Date.UTC(1904, 0, 1) : Date.UTC(1899, 11, serial < 60 ? 31 : 30)
  const text = new Date(first + milliseconds).toISOString()
  if (serial >= 0 && serial < 1 && (!from1904 || shown === 'clock')) return text.slice(11, 19 + part)
  return milliseconds % 86_400_000 === 0 ? text.slice(0, 10) : text.slice(0, 19 + part)
}
