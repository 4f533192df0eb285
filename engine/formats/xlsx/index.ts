import { mkdir, rename } from 'node:fs/promises'
import { basename, join, posix } from 'node:path'
import type { FileFormat } from '../../../core/catalog/found'
import { partsOf } from '../../../core/files/dialect'
import { formats } from '../../../core/files/formats'
import type { TablePlace } from '../../../core/files/header'
import { fail } from '../../../core/fault'
import { stepFault } from '../../context/step'
import { literal } from '../../duck/duck'
import { openCsv } from '../csv'
import { csvSql } from '../csv/reader'
import type { Format, FormattedFile } from '../definition'
import { withFolders } from '../relation'
import { layDownSheets } from './sheets'
import { writeSheet } from './write'

const { own } = formats.xlsx.endings

/** Sheets are laid down as CSV first, and read as that. */
export const xlsx: Format = {
  // PK and two numbers, as every zip archive
  mark: {
    bytes: '504b0304',
    fault: async ({ ending }) => (own.includes(ending) ? undefined : 'a zip archive'),
  },
  head: (_known, { sheet }) => ({
    format: { kind: 'xlsx', ...(sheet === undefined ? {} : { sheet }) },
    names: [],
  }),
  async open(_duck, files, reading, folder) {
    const laid: FormattedFile[] = []
    const rows = new Map<string, number>()
    const books = new Map<string, string>()
    const said: string[] = []
    for (const [i, file] of files.entries()) {
      const place = join(folder, `book-${i}`)
      const book = await layDownSheets(file.full, file.path, place, reading)
      if (book.sheets.length === 0) {
        const reasons = book.without.map(({ name, reason }) => `${name}: ${reason}`).join('; ')
        stepFault(
          'file',
          `${file.path} has no sheet ${reading.sheet ?? ''} that holds a table${reasons ? ` (${reasons})` : ''}`,
          'look at the file',
        )
      }
      const several = reading.sheet?.includes('*')
      for (const [n, sheet] of (several ? book.sheets : book.sheets.slice(0, 1)).entries()) {
        // it keeps its book's name, so that rejects tell it
        const own = join(place, String(n))
        await mkdir(own)
        const full = join(own, basename(file.path))
        await rename(sheet.csv, full)
        books.set(full, file.full)
        rows.set(file.full, (rows.get(file.full) ?? 0) + sheet.rows)
        const format: FileFormat = {
          kind: 'csv',
          ...(reading.decimal === ',' ? { decimal: ',' as const } : {}),
        }
        // of several sheets each row says which it is of, as those of parted folders do
        const path = several
          ? posix.join(
              posix.dirname(file.path),
              `sheet=${encodeURIComponent(sheet.name)}`,
              basename(file.path),
            )
          : file.path
        laid.push({ ...file, path, full, format, names: sheet.place.names })
        said.push(...sheet.place.said.map((words) => `${file.path}, sheet ${sheet.name}: ${words}`))
      }
      if (!several && book.sheets.length > 1)
        said.push(
          `${file.path}: sheet ${book.sheets[0]!.name} is read; other tables: ${book.sheets
            .slice(1)
            .map(({ name }) => name)
            .join(', ')}`,
        )
    }
    // a row's number counts: the lines of what was laid out are not those of the sheet
    const { texts: _, said: lacking = [], ...opened } = openCsv(laid, { files: laid, copies: books })
    return { ...opened, rows, said: [...said, ...lacking] }
  },
  async relation(_duck, files, format, _names, folder, reading = {}) {
    const parts: { full: string; csv: string; names: readonly string[] }[] = []
    for (const [i, file] of files.entries()) {
      const book = await layDownSheets(file.full, file.path, join(folder, String(i)), { sheet: format.sheet })
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
      format: formatOf(name, place),
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

/** How a sheet is read, as a survey found it; what it would find again is not said. */
function formatOf(sheet: string, place: TablePlace): FileFormat {
  const { header, ...parts } = partsOf(place)
  return {
    kind: 'xlsx',
    sheet,
    ...(header ? {} : { header }),
    ...parts,
    ...(place.skip > 0 ? { skip: place.skip } : {}),
  }
}
