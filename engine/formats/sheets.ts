import { createWriteStream } from 'node:fs'
import { once } from 'node:events'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import ExcelJS from 'exceljs'
import { fail } from '../../core/fault'
import { findTable, type TablePlace } from '../../core/schema/header'
import { classOf } from '../../core/schema/valueClass'
import { checkZip } from './zip'

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
    const reader = new ExcelJS.stream.xlsx.WorkbookReader(path, {
      worksheets: 'emit', sharedStrings: 'cache', styles: 'cache', hyperlinks: 'ignore', entries: 'ignore',
    }) // prettier-ignore
    let number = 0
    for await (const sheet of reader) {
      const title = (sheet as unknown as { name: string }).name
      if (only !== undefined && title !== only) continue
      const laid = await layDown(sheet, title, join(folder, `sheet-${++number}.csv`))
      if ('reason' in laid) without.push({ name: title, reason: laid.reason })
      else sheets.push(laid)
    }
  } catch (error) {
    fail('file', `${name} cannot be read as XLSX: ${(error as Error).message}`)
  }
  return { sheets, without }
}

async function layDown(
  sheet: ExcelJS.stream.xlsx.WorksheetReader,
  name: string,
  csv: string,
): Promise<LaidSheet | { reason: string }> {
  const ahead: string[][] = []
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
  for await (const row of sheet) {
    const record = cellsOf(row)
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

/** Text of the cells from the first column on; blanks within are ''. */
function cellsOf(row: ExcelJS.Row): string[] {
  const values = row.values as ExcelJS.CellValue[]
  return Array.from({ length: Math.max(0, values.length - 1) }, (_, i) => cellText(values[i + 1]))
}

function cellText(value: ExcelJS.CellValue | undefined): string {
  if (value === null || value === undefined) return ''
  if (value instanceof Date) return dateText(value)
  if (typeof value !== 'object') return String(value)
  if ('richText' in value) return value.richText.map(({ text }) => text).join('')
  if ('error' in value) return value.error
  if ('result' in value) return cellText(value.result as ExcelJS.CellValue)
  if ('formula' in value || 'sharedFormula' in value) return ''
  if ('text' in value) return cellText(value.text as ExcelJS.CellValue)
  return ''
}

function dateText(date: Date): string {
  if (Number.isNaN(date.getTime())) return ''
  // serial numbers carry parts of a second that nobody typed
  const rounded = new Date(Math.round(date.getTime() / 1000) * 1000).toISOString()
  return rounded.endsWith('T00:00:00.000Z') ? rounded.slice(0, 10) : rounded.slice(0, 19)
}

function csvLine(fields: readonly string[], width: number): string {
  const cells = Array.from({ length: width }, (_, i) => {
    const field = fields[i] ?? ''
    return /[",\r\n]/.test(field) ? `"${field.replace(/"/g, '""')}"` : field
  })
  // a line of nothing would read as no record at all
  return `${width === 1 && cells[0] === '' ? '""' : cells.join(',')}\n`
}
