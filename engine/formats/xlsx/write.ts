import { createWriteStream } from 'node:fs'
import ExcelJS from 'exceljs'
import type { DuckDBConnection } from '@duckdb/node-api'
import { stepFault } from '../../context/step'

/** Rows of a sheet that XLSX allows, the header among them (ECMA-376: 2^20). */
const sheetRows = 1_048_576

/** Writes a sheet as a stream; here rows do become values, since no other writer is at hand. */
export async function writeSheet(duck: DuckDBConnection, select: string, file: string): Promise<number> {
  const stream = createWriteStream(file)
  const book = new ExcelJS.stream.xlsx.WorkbookWriter({ stream, useStyles: true, useSharedStrings: false })
  const sheet = book.addWorksheet('data')
  const result = await duck.stream(select)
  const types = result.columnTypes().map((type) => type.toString())
  sheet.addRow(result.columnNames()).commit()
  let rows = 0
  for (;;) {
    const chunk = await result.fetchChunk()
    if (!chunk || chunk.rowCount === 0) break
    rows += chunk.rowCount
    if (rows >= sheetRows)
      stepFault(
        'rows',
        `more than ${sheetRows.toLocaleString('en')} rows do not fit into an XLSX sheet`,
        'write CSV or Parquet',
      )
    for (const values of chunk.getRows())
      sheet.addRow(values.map((value, i) => cellOf(value, types[i]!))).commit()
  }
  sheet.commit()
  await book.commit()
  return rows
}

function cellOf(value: unknown, type: string): ExcelJS.CellValue {
  if (value === null || value === undefined) return null
  if (type === 'BOOLEAN' || typeof value === 'number' || typeof value === 'string')
    return value as ExcelJS.CellValue
  // a number of more than 15 digits would be rounded by every program for sheets
  if (typeof value === 'bigint')
    return Number.isSafeInteger(Number(value)) && String(value).length <= 15 ? Number(value) : String(value)
  const text = String(value)
  if (type === 'DATE') return new Date(`${text}T00:00:00Z`)
  if (/^TIMESTAMP/.test(type)) {
    // without a zone it is written as it reads; with one, in UTC
    const zoned = /[+-]\d\d(:\d\d)?$/.exec(text)?.[0]
    const plain = (zoned ? text.slice(0, -zoned.length) : text).replace(' ', 'T')
    const at = new Date(`${plain}${zoned ? (zoned.length === 3 ? `${zoned}:00` : zoned) : 'Z'}`)
    return Number.isNaN(at.getTime()) ? text : at
  }
  if (/^DECIMAL/.test(type) && text.replace(/[-.]/g, '').length <= 15) return Number(text)
  return text
}
