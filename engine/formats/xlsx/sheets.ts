import { createWriteStream } from 'node:fs'
import { once } from 'node:events'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { fail } from '../../../core/fault'
import { findTable, joined, tailOf, type TablePlace } from '../../../core/files/header'
import { distinctNames, unnamed } from '../../../core/files/names'
import { classOf } from '../../../core/catalog/valueClass'
import { openWorkbook, type SheetRow } from './workbook'
import { escapeRegExp } from '../../../core/text/escapeRegExp'
import { checkZip } from '../zip'

/** A sheet that holds a table, laid down as CSV with a header. */
export interface LaidSheet {
  readonly name: string
  /** Path of the CSV. */
  readonly csv: string
  readonly place: TablePlace
  /** Rows below the header, blank ones left out. */
  readonly rows: number
}

export interface LaidBook {
  readonly sheets: readonly LaidSheet[]
  /** Sheets without a table, and why. */
  readonly without: readonly { readonly name: string; readonly reason: string }[]
}

/** What a job says of where the table stands in its sheet; the rest is worked out. */
export interface SheetReading {
  /** One sheet, or, with *, those that fit. */
  readonly sheet?: string | undefined
  readonly skip?: number | undefined
  readonly header?: boolean | undefined
  readonly names?: readonly string[] | undefined
  readonly heads?: number | undefined
  readonly under?: number | undefined
  readonly tail?: number | undefined
}

const fits = (title: string, wanted: string): boolean =>
  title === wanted ||
  (wanted.includes('*') &&
    new RegExp(`^${wanted.split('*').map(escapeRegExp).join('.*')}$`, 'su').test(title))

/** Rows that are looked at to find where the table begins. */
const lookAhead = 200

/**
 * Reads the sheets of an XLSX file as a stream and lays each that holds a table down as a CSV file in `folder`: a table
 * has a row, and two columns or values that are no text. Dates
 * become ISO 8601 text without a zone, formulas their last result.
 * @throws FaultError `file` where it is damaged or unpacks to far more than its size
 */
export async function layDownSheets(
  path: string,
  name: string,
  folder: string,
  told: SheetReading = {},
): Promise<LaidBook> {
  const { sheet: only } = told
  await checkZip(path, name)
  await mkdir(folder, { recursive: true })
  const sheets: LaidSheet[] = []
  const without: { name: string; reason: string }[] = []
  try {
    const book = await openWorkbook(path)
    try {
      const wanted = book.sheets.filter((title) => only === undefined || fits(title, only))
      for (const [i, title] of wanted.entries()) {
        const laid = await layDown(book.rows(title), title, join(folder, `sheet-${i + 1}.csv`), told)
        if ('reason' in laid) without.push({ name: title, reason: laid.reason })
        else sheets.push(laid)
      }
    } finally {
      book.close()
    }
  } catch (error) {
    fail('file', `${name} cannot be read as XLSX: ${(error as Error).message}`)
  }
  return { sheets, without }
}

async function layDown(
  sheet: AsyncIterable<SheetRow>,
  name: string,
  csv: string,
  told: SheetReading,
): Promise<LaidSheet | { reason: string }> {
  const ahead: (readonly string[])[] = []
  let place: TablePlace | undefined
  let out: ReturnType<typeof createWriteStream> | undefined
  let rows = 0
  /** A value that is no text: what tells a list from notes typed into one column. */
  let values = false
  /** The last rows, of which some may be sums or notes. */
  const last: (readonly string[])[] = []
  const known = new Set<string>()
  const write = async (record: readonly string[]) => {
    rows++
    values ||= place!.width > 1 || classOf(record[0] ?? '') !== 'text'
    if (!out!.write(csvLine(record, place!.width))) await once(out!, 'drain')
  }
  const put = async (record: readonly string[]) => {
    if (record.every((field) => field === '')) return
    last.push(record)
    if (last.length <= Math.max(mostBelow, told.tail ?? 0)) return
    const first = last.shift()!
    if (known.size < 10_000) known.add((first[0] ?? '').trim())
    await write(first)
  }
  let left = 0
  const begin = async () => {
    // a table may stand away from the edge; where it does, each row has as many cells before it
    left = Math.min(...ahead.map((record) => record.findIndex((cell) => cell !== '')))
    const across = Math.max(...ahead.map(({ length }) => length)) - left
    for (const [i, record] of ahead.entries())
      ahead[i] = Array.from({ length: across }, (_, n) => record[left + n] ?? '')
    place = ahead.length === 0 ? undefined : placeIn(ahead, told)
    if (!place) return
    out = createWriteStream(csv)
    out.write(csvLine(place.names, place.width))
    for (const record of ahead.slice(place.skip + place.heads + place.under)) await put(record)
  }
  for await (const { number, cells } of sheet) {
    if (number <= (told.skip ?? 0)) continue
    if (place) await put(left > 0 ? cells.slice(left) : cells)
    else {
      if (cells.some((field) => field !== '')) ahead.push(cells)
      if (ahead.length >= lookAhead) await begin()
    }
  }
  if (!place) await begin()
  if (!place || !out) return { reason: 'it is empty' }
  const tail = told.tail ?? tailOf(last, place.width, known)
  const below = last.splice(last.length - Math.min(tail, last.length))
  for (const record of last) await write(record)
  out.end()
  await once(out, 'close')
  if (rows === 0) return { reason: 'it has no rows below its header' }
  if (!values) return { reason: 'notes, but no table' }
  const said = [
    ...place.said,
    ...below.map((record) => `below the table: ${record.filter((cell) => cell.trim() !== '').join(' ')}`),
  ]
  return { name, csv, place: { ...place, tail: below.length, said }, rows }
}

/** Rows at the end of a sheet that may be no rows of its table. */
const mostBelow = 6

/** Where the table stands: where nothing is said of it, it is worked out. */
function placeIn(records: readonly (readonly string[])[], told: SheetReading): TablePlace | undefined {
  // what stands below is seen when the end is
  const found = findTable(records, null)
  if (!found || (told.header !== false && !told.heads && !told.under && !told.skip)) return found
  const heads = told.header === false ? 0 : (told.heads ?? 1)
  const skip = told.skip === undefined ? found.skip : 0
  const head = records.slice(skip, skip + heads)
  const names =
    heads === 0
      ? (told.names ?? unnamed(Math.max(...records.slice(skip, skip + 20).map(({ length }) => length))))
      : head.slice(1).reduce<readonly string[]>((upper, lower) => joined(upper, lower), head[0] ?? [])
  const distinct = distinctNames(names)
  return {
    ...found,
    ...distinct,
    skip,
    heads,
    header: heads > 0,
    under: told.under ?? 0,
    width: distinct.names.length,
  }
}

function csvLine(fields: readonly string[], width: number): string {
  const cells = Array.from({ length: width }, (_, i) => {
    const field = fields[i] ?? ''
    return /[",\r\n]/.test(field) ? `"${field.replace(/"/g, '""')}"` : field
  })
  // a line of nothing would read as no record at all
  return `${width === 1 && cells[0] === '' ? '""' : cells.join(',')}\n`
}
