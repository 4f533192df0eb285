import { createWriteStream } from 'node:fs'
import { once } from 'node:events'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { fail } from '../../../core/fault'
import { findTable, type TablePlace } from '../../../core/files/header'
import { classOf } from '../../../core/catalog/valueClass'
import { openWorkbook, type SheetRow } from './workbook'
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

/** Rows that are looked at to find where the table begins. */
const lookAhead = 200

/**
 * Reads the sheets of an XLSX file as a stream and lays each that holds a table down as a CSV file in `folder`: a table
 * has a row, and two columns or values that are no text. `only` names the one sheet that is wanted. Dates
 * become ISO 8601 text without a zone, formulas their last result.
 * @throws FaultError `file` where it is damaged or unpacks to far more than its size
 */
export async function layDownSheets(
  path: string,
  name: string,
  folder: string,
  only?: string,
): Promise<LaidBook> {
  await checkZip(path, name)
  await mkdir(folder, { recursive: true })
  const sheets: LaidSheet[] = []
  const without: { name: string; reason: string }[] = []
  try {
    const book = await openWorkbook(path)
    try {
      const wanted = book.sheets.filter((title) => only === undefined || title === only)
      for (const [i, title] of wanted.entries()) {
        const laid = await layDown(book.rows(title), title, join(folder, `sheet-${i + 1}.csv`))
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
): Promise<LaidSheet | { reason: string }> {
  const ahead: SheetRow[] = []
  let place: TablePlace | undefined
  let out: ReturnType<typeof createWriteStream> | undefined
  let rows = 0
  /** A value that is no text: what tells a list from notes typed into one column. */
  let values = false
  const put = async (record: readonly string[]) => {
    if (record.every((field) => field === '')) return
    rows++
    values ||= place!.width > 1 || classOf(record[0] ?? '') !== 'text'
    if (!out!.write(csvLine(record, place!.width))) await once(out!, 'drain')
  }
  const begin = async () => {
    place = findTable(ahead)
    if (!place) return
    out = createWriteStream(csv)
    out.write(csvLine(place.names, place.width))
    for (const record of ahead.slice(place.skip + (place.header ? 1 : 0))) await put(record)
  }
  for await (const record of sheet) {
    if (place) await put(record)
    else {
      if (record.some((field) => field !== '')) ahead.push(record)
      if (ahead.length >= lookAhead) await begin()
    }
  }
  if (!place) await begin()
  if (!place || !out) return { reason: 'it is empty' }
  out.end()
  await once(out, 'close')
  if (rows === 0) return { reason: 'it has no rows below its header' }
  if (!values) return { reason: 'notes, but no table' }
  return { name, csv, place, rows }
}

function csvLine(fields: readonly string[], width: number): string {
  const cells = Array.from({ length: width }, (_, i) => {
    const field = fields[i] ?? ''
    return /[",\r\n]/.test(field) ? `"${field.replace(/"/g, '""')}"` : field
  })
  // a line of nothing would read as no record at all
  return `${width === 1 && cells[0] === '' ? '""' : cells.join(',')}\n`
}
