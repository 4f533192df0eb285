import { rename } from 'node:fs/promises'
import { basename, join } from 'node:path'
import type { FileFormat } from '../../../core/catalog/found'
import { fail } from '../../../core/fault'
import { stepFault } from '../../context/step'
import { literal } from '../../duck/duck'
import { openCsv } from '../csv'
import { csvSql } from '../csv/reader'
import type { Format, FormattedFile } from '../definition'
import { withFolders } from '../relation'
import { sameColumns } from '../sameColumns'
import { layDownSheets } from './sheets'
import { writeSheet } from './write'

/** Sheets are laid down as CSV first, and read as that. */
export const xlsx: Format = {
  marked: true,
  head: (_known, { sheet }) => ({
    format: { kind: 'xlsx', ...(sheet === undefined ? {} : { sheet }) },
    names: [],
  }),
  async open(_duck, files, reading, folder) {
    const laid: FormattedFile[] = []
    const rows = new Map<string, number>()
    for (const [i, file] of files.entries()) {
      const place = join(folder, `book-${i}`)
      const book = await layDownSheets(file.full, file.path, place, reading.sheet)
      const [sheet] = book.sheets
      if (!sheet) {
        const reasons = book.without.map(({ name, reason }) => `${name}: ${reason}`).join('; ')
        stepFault(
          'file',
          `${file.path} has no sheet ${reading.sheet ?? ''} that holds a table${reasons ? ` (${reasons})` : ''}`,
          'look at the file',
        )
      }
      // it keeps its book's name, so that rejects tell it
      const full = join(place, basename(file.path))
      await rename(sheet.csv, full)
      rows.set(file.full, sheet.rows)
      const format: FileFormat = {
        kind: 'csv',
        ...(reading.decimal === ',' ? { decimal: ',' as const } : {}),
      }
      laid.push({ ...file, full, format, names: sheet.place.names })
    }
    sameColumns(laid)
    // a row's number counts: the lines of what was laid out are not those of the sheet
    const copies = new Map(laid.map(({ full }, i) => [full, files[i]!.full]))
    const { texts: _, ...opened } = openCsv(laid, { files: laid, copies })
    return { ...opened, rows }
  },
  async relation(_duck, files, format, _names, folder, reading = {}) {
    const parts: { full: string; csv: string; names: readonly string[] }[] = []
    for (const [i, file] of files.entries()) {
      const book = await layDownSheets(file.full, file.path, join(folder, String(i)), format.sheet)
      const [sheet] = book.sheets
      if (!sheet) fail('file', `${file.path} has no sheet ${format.sheet ?? ''} that holds a table`)
      parts.push({ full: file.full, csv: sheet.csv, names: sheet.place.names })
    }
    const selects = parts.map(
      ({ csv, names, full }) =>
        `select * replace (${literal(full)} as mattock_file) from ${csvSql([csv], { kind: 'csv' }, names, reading)}`,
    )
    return withFolders(files, {
      sql: `(${selects.join(' union all by name ')})`,
      columns: parts[0]!.names.map((name) => ({ name, type: 'VARCHAR' })),
    })
  },
  async tables(_duck, { full, path }, _known, folder) {
    const book = await layDownSheets(full, path, join(folder, 'book'))
    if (book.sheets.length === 0)
      return (
        book.without.map(({ name, reason }) => `${name}: ${reason}`).join('; ') || 'no sheet holds a table'
      )
    return book.sheets.map(({ name, csv, place, rows }) => ({
      relation: {
        sql: `(select * replace (${literal(full)} as mattock_file) from ${csvSql([csv], { kind: 'csv' }, place.names)})`,
        columns: place.names.map((column) => ({ name: column, type: 'VARCHAR' })),
      },
      format: { kind: 'xlsx', sheet: name },
      unnamed: !place.header,
      rows,
    }))
  },
  async look(_duck, { full, path }, _known, folder) {
    const { sheets, without } = await layDownSheets(full, path, folder)
    const [sheet] = sheets
    if (!sheet) fail('file', `${path}: no sheet holds a table`, { path })
    const others = [
      ...sheets.slice(1).map(({ name }) => name),
      ...without.map(({ name, reason }) => `${name} (${reason})`),
    ]
    const rest = others.length > 0 ? `; other sheets: ${others.join(', ')}` : ''
    return {
      sql: csvSql([sheet.csv], { kind: 'csv' }, sheet.place.names),
      note: `XLSX, sheet ${sheet.name}, ${sheet.rows.toLocaleString('en')} rows${rest}`,
    }
  },
  writer: { write: (duck, select, { file }) => writeSheet(duck, select, file) },
}
