import type { DuckDBConnection } from '@duckdb/node-api'
import { formatText, type FileFormat } from '../../../core/catalog/found'
import { formats, type FileKind } from '../../../core/files/formats'
import { fail } from '../../../core/fault'
import type { Format } from '../definition'
import { withFolders, type StoreFile } from '../relation'
import { openTyped } from '../typed'
import { countEntries, countJson } from './count'
import { documentTables, exactDocuments, findRecords, type Documents, type DocumentTable } from './documents'
import { layShape, shapeOfDocument } from './shapes'

/** JSON as one document, or as a document a line. */
export const jsonFormat = (
  kind: Extract<FileKind, 'json' | 'ndjson'>,
  { byLine }: { readonly byLine: boolean },
): Format => ({
  begins: (text, ending) => /^[[{]/.test(text) && beginsByLine(text, ending) === byLine,
  head: ({ gzip }) => ({ format: { kind, ...(gzip ? { gzip: true } : {}) }, names: [] }),
  async open(duck, files, reading, folder) {
    const { format } = files[0]!
    const given = { ...format, ...(reading.records ? { records: reading.records } : {}) }
    const whole = reading.records ? given : await formatOf(duck, files[0]!.full, given)
    const read: FileFormat = { ...whole, ...(reading.inner ? { inner: reading.inner } : {}) }
    const rows = new Map<string, number>()
    const table = await tableOf(duck, files, read, folder)
    // lines are counted beside the reading; the entries of a list within them are not lines
    for (const { full } of files)
      if (!byLine) rows.set(full, await countJson(duck, full, read))
      else if (read.inner) rows.set(full, await countEntries(duck, full, read, table.list))
    const opened = { ...openTyped(withFolders(files, table), rows), decimalNumbers: true }
    if (!byLine) return opened
    const texts = new Map(files.map(({ full, format }) => [full, { format, names: [] }]))
    return {
      ...opened,
      broken: 'mattock_broken',
      texts,
      ...(read.inner ? { record: 'mattock_record' } : {}),
    }
  },
  relation,
  async tables(duck, { full }, { gzip }, folder) {
    const format = await formatOf(duck, full, { kind, ...(gzip ? { gzip: true } : {}) })
    const tables = await documentTables(duck, await laidOut([full], format, folder))
    if (tables[0]!.columns.length === 0) return 'JSON without records'
    return tables.map(({ sql, columns, inner }) => ({
      relation: { sql: `(${sql})`, columns },
      format: inner === '' ? format : { ...format, inner },
      unnamed: false,
    }))
  },
  async look(duck, { full }, { gzip }, folder) {
    const format = await formatOf(duck, full, { kind, ...(gzip ? { gzip: true } : {}) })
    const [first, ...others] = await documentTables(duck, await laidOut([full], format, folder))
    const lists = others.map(({ inner }) => inner)
    const within = lists.length > 0 ? `; lists within: ${lists.join(', ')}` : ''
    return { sql: `(${first!.sql})`, note: `${formatText(format)}${within}` }
  },
})

/** A document in the first line, and more below it, or an ending that says so. */
function beginsByLine(text: string, ending: string): boolean {
  if (!text.startsWith('{')) return false
  const [line = '', next] = text.split(/\r?\n/, 2)
  try {
    JSON.parse(line)
    return Boolean(next?.trim()) || !oneDocument.includes(ending)
  } catch {
    return false
  }
}

const oneDocument = formats.json.endings.own

/** Where the records of a document are, and which shape it has. */
async function formatOf(duck: DuckDBConnection, full: string, format: FileFormat): Promise<FileFormat> {
  const shape = await shapeOfDocument(full, format)
  return shape ? { ...format, shape } : await findRecords(duck, [full], format)
}

/** Documents of a shape that is no list of objects are laid down by line. */
async function laidOut(paths: readonly string[], format: FileFormat, folder: string): Promise<Documents> {
  if (!format.shape) return { paths, format }
  const laid: string[] = []
  for (const path of paths) laid.push(await layShape(path, format, folder))
  const { shape: _, gzip: __, ...plain } = format
  return {
    paths: laid,
    format: { ...plain, kind: 'ndjson' },
    copies: new Map(laid.map((copy, i) => [copy, paths[i]!])),
  }
}

/** Copies of copies, with the file that each is of. */
const chained = (
  first: ReadonlyMap<string, string> | undefined,
  second: ReadonlyMap<string, string> | undefined,
): ReadonlyMap<string, string> | undefined =>
  first
    ? new Map([...first, ...[...(second ?? [])].map(([copy, of]) => [copy, first.get(of) ?? of] as const)])
    : second

const relation: Format['relation'] = async (duck, files, format, _names, folder) =>
  withFolders(files, await tableOf(duck, files, format, folder))

/** The records of files, or the entries of the list within them that the format names. @throws FaultError `file` */
async function tableOf(
  duck: DuckDBConnection,
  files: readonly StoreFile[],
  format: FileFormat,
  folder: string,
): Promise<DocumentTable> {
  const paths = files.map(({ full }) => full)
  const laid = await laidOut(paths, format, folder)
  const exact = await exactDocuments(laid.paths, laid.format, folder)
  const tables = await documentTables(duck, { ...exact, copies: chained(laid.copies, exact.copies) })
  const table = tables.find(({ inner }) => inner === (format.inner ?? ''))
  if (!table) fail('file', `${files[0]!.path} has no list ${format.inner}`)
  return { ...table, sql: `(${table.sql})` }
}
