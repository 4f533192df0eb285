import { statSync } from 'node:fs'
import { DuckDBListType, DuckDBStructType, type DuckDBConnection, type DuckDBType } from '@duckdb/node-api'
import { fail } from '../../../core/fault'
import { quoteName } from '../../../core/text/slot'
import type { FileFormat } from '../../../core/catalog/found'
import { layOut, recordLists, type LaidOutColumn, type NestedType } from '../../../core/files/nested'
import { literal, literalList } from '../../duck/duck'
import { exactPath, mark } from './exact'

/** Bytes that one document, and one record of a list, may have; DuckDB takes twice as much memory for each reading. */
const largestDocument = 64 << 20
const largestRecord = 8 << 20

/** DuckDB's `maximum_object_size` for files: no more than they hold, so that many small ones can be read at once. */
export function objectSize(paths: readonly string[], format: FileFormat): number {
  const most = Math.max(...paths.map((path) => statSync(path).size)) * (format.gzip ? 20 : 1)
  const whole = format.kind === 'json' && format.records !== undefined
  return Math.max(1 << 20, Math.min(most + 1024, whole ? largestDocument : largestRecord))
}

/** A format that no value has. */
const neverFits = "'\u0001%Y'"

/** Documents of one format, ready to be read. */
export interface Documents {
  readonly paths: readonly string[]
  readonly format: FileFormat
  /** Of files that are read from a copy with marked numbers (exact.ts): the copy's path and the file's own. */
  readonly copies?: ReadonlyMap<string, string>
}

/** Copies that were made by this process: each has a name of its own. */
let made = 0

/** The files to read so that numbers keep their digits: copies in `folder` where some would not. */
export async function exactDocuments(
  paths: readonly string[],
  format: FileFormat,
  folder: string,
): Promise<Documents> {
  const own = new Map<string, string>()
  for (const path of paths) {
    const copy = await exactPath(path, format, folder, `exact-${++made}.json`)
    if (copy !== path) own.set(path, copy)
  }
  if (own.size === 0) return { paths, format }
  // one reading takes files that are all packed, or none
  if (format.gzip)
    for (const path of paths)
      if (!own.has(path)) own.set(path, await exactPath(path, format, folder, `exact-${++made}.json`, true))
  const { gzip: _, ...plain } = format
  return {
    paths: paths.map((path) => own.get(path) ?? path),
    format: plain,
    copies: new Map([...own].map(([path, copy]) => [copy, path])),
  }
}

/** The JSON reader of DuckDB with each record as one value `r`, and its file's path as `mattock_file`. */
function recordsSql({ paths, format, copies }: Documents): string {
  const layout =
    format.kind === 'ndjson' ? 'newline_delimited' : format.records === undefined ? 'array' : 'unstructured'
  const options = [
    `format = ${literal(layout)}`,
    'records = false',
    `filename = 'mattock_file'`,
    `maximum_object_size = ${objectSize(paths, format)}`,
    'sample_size = -1',
    'union_by_name = true',
    // dates and times stay text, to be read by their values: DuckDB's own guess forgets the zone
    `dateformat = ${neverFits}`,
    `timestampformat = ${neverFits}`,
    // a line that is no document is nothing then, and told as such
    ...(format.kind === 'ndjson' ? ['ignore_errors = true'] : []),
    ...(format.gzip ? ["compression = 'gzip'"] : []),
  ]
  const cases = [...(copies ?? [])].map(([copy, path]) => `when ${literal(copy)} then ${literal(path)}`)
  const file =
    cases.length === 0
      ? 'mattock_file'
      : `case mattock_file ${cases.join(' ')} else mattock_file end as mattock_file`
  return `select ${file}, json as r from read_json(${literalList(paths)}, ${options.join(', ')})`
}

/** DuckDB's type as a shape of documents. */
function nestedOf(type: DuckDBType): NestedType {
  if (type instanceof DuckDBStructType)
    return {
      kind: 'fields',
      fields: type.entryNames.map((name, i) => ({ name, type: nestedOf(type.entryTypes[i]!) })),
    }
  if (type instanceof DuckDBListType) return { kind: 'list', of: nestedOf(type.valueType) }
  return { kind: 'plain', type: type.alias ?? type.toString() }
}

async function shapeOf(duck: DuckDBConnection, sql: string): Promise<NestedType> {
  const reader = await duck.runAndReadAll(`select r from (${sql}) limit 0`)
  return nestedOf(reader.columnType(0))
}

/** Where the records of a document lie: the document is a list, or holds exactly one list of documents. */
export async function findRecords(
  duck: DuckDBConnection,
  paths: readonly string[],
  format: FileFormat,
): Promise<FileFormat> {
  if (format.kind === 'ndjson') return format
  try {
    const shape = await shapeOf(duck, recordsSql({ paths, format: { ...format, records: '' } }))
    // the list nearest to the top: what lies deeper describes it
    const depth = (path: string) => path.split('.').length
    const lists = recordLists(shape).sort((a, b) => depth(a) - depth(b))
    if (shape.kind === 'fields' && lists.length > 0) return { ...format, records: lists[0]! }
  } catch {
    // not one document: a list, which the plain reading takes
  }
  return format
}

export interface DocumentTable {
  /** Path within the record to the list; '' for the records. */
  readonly inner: string
  /** A SELECT of `mattock_file` and the columns. */
  readonly sql: string
  readonly columns: readonly { readonly name: string; readonly type: string }[]
  /** Path to the list within a record (DuckDB's JSONPath); '' for the records. */
  readonly list: string
}

/**
 * The tables that documents give, each as a SELECT. A list's table carries the record's first plain field and the
 * entry's number within the list, from 1, so that its rows can be told apart and joined back.
 */
export async function documentTables(duck: DuckDBConnection, documents: Documents): Promise<DocumentTable[]> {
  const { format, copies } = documents
  const marked = copies !== undefined
  let base = recordsSql(documents)
  if (format.records) {
    const shape = await shapeOf(duck, base)
    const list = step(shape, format.records.split('.'))
    if (list?.kind !== 'list')
      fail('file', `${format.records} is no list in the document`, { path: format.records })
    base = `select mattock_file, unnest(r${steps(format.records.split('.'))}) as r from (${base})`
  }
  const record = await shapeOf(duck, base)
  const [top, ...lists] = layOut(record)
  const first = top!.columns.find(({ type }) => type !== 'list')
  // a line that is no document is told in the tables of its lists, too; the number of the line goes along
  const lined = format.kind === 'ndjson'
  const numbered = lined ? numberedSql(base, documents.paths.length) : base
  const tables: DocumentTable[] = [
    {
      inner: '',
      list: '',
      ...(await selected(duck, base, 'r', top!.columns, [], marked)),
    },
  ]
  for (const list of lists) {
    const entries = listSql(numbered, record, list.inner.split('.'), lined)
    const own = [...(first ? [first.name] : []), 'entry']
    const columns = list.columns.map((column) =>
      own.includes(column.name)
        ? { ...column, name: `${list.inner.split('.').at(-1)}_${column.name}` }
        : column,
    )
    tables.push({
      inner: list.inner,
      list: listPath(record, list.inner.split('.')),
      ...(await selected(
        duck,
        entries,
        'e',
        columns,
        [
          ...(first ? [{ name: first.name, type: first.type, sql: valueSql('r', first, marked) }] : []),
          { name: 'entry', type: 'BIGINT', sql: 'mattock_entry' },
        ],
        marked,
        lined,
      )),
    })
  }
  return tables
}

/** Records with their number within their file. */
function numberedSql(base: string, files: number): string {
  const sql = `select *, row_number() over () as mattock_record from (${base})`
  // they come file by file
  return files === 1
    ? sql
    : `select * replace (mattock_record - min(mattock_record) over (partition by mattock_file) + 1 as mattock_record) from (${sql})`
}

const steps = (path: readonly string[]): string => path.map((part) => `.${quoteName(part)}`).join('')

function step(type: NestedType, path: readonly string[]): NestedType | undefined {
  return path.reduce<NestedType | undefined>(
    (at, part) => (at?.kind === 'fields' ? at.fields.find(({ name }) => name === part)?.type : undefined),
    type,
  )
}

/** A list within a record as a path that DuckDB's JSON functions take; the lists on the way with all of their entries. */
function listPath(record: NestedType, path: readonly string[]): string {
  let at: NestedType | undefined = record
  return path.reduce((text, part, i) => {
    at = at?.kind === 'fields' ? at.fields.find(({ name }) => name === part)?.type : undefined
    const entries = at?.kind === 'list' && i < path.length - 1 ? '[*]' : ''
    if (at?.kind === 'list') at = at.of
    return `${text}."${part.replace(/["\\]/g, '\\$&')}"${entries}`
  }, '$')
}

/** Opens the lists along the way, one after the other; the last list's entries are `e`, numbered within their list. */
function listSql(base: string, record: NestedType, path: readonly string[], lined: boolean): string {
  let sql = base
  let at: NestedType = record
  let operand = 'r'
  path.forEach((part, i) => {
    const field: NestedType | undefined =
      at.kind === 'fields' ? at.fields.find(({ name }) => name === part)?.type : undefined
    if (!field) fail('file', `the document has no ${path.slice(0, i + 1).join('.')}`)
    operand = `${operand}.${quoteName(part)}`
    at = field
    if (field.kind !== 'list') return
    const entries = lined ? `case when r is null then [null] else ${operand} end` : operand
    sql = `select mattock_file, ${lined ? 'mattock_record, ' : ''}r, unnest(${entries}) as e, unnest(range(1, len(${operand}) + 1)) as mattock_entry from (${sql})`
    operand = 'e'
    at = field.of
  })
  return sql
}

const plainTypes =
  /^(BOOLEAN|TINYINT|SMALLINT|INTEGER|BIGINT|HUGEINT|UTINYINT|USMALLINT|UINTEGER|UBIGINT|FLOAT|DOUBLE|DECIMAL.*|VARCHAR|DATE|TIME|TIMESTAMP.*|UUID)$/

const unmarked = (text: string): string =>
  `case when starts_with(${text}, '${mark}') then substr(${text}, 2) else ${text} end`
const unmarkedWithin = (text: string): string => `regexp_replace(${text}, '"${mark}([^"]*)"', '\\1', 'g')`

function valueSql(operand: string, column: LaidOutColumn, marked: boolean): string {
  const value = `${operand}${steps(column.path)}`
  if (column.type === 'VARCHAR') return marked ? unmarked(value) : value
  // values of several kinds: each as its own text, a string without its quotes
  if (column.type === 'JSON') {
    const text = `(${value} ->> '$')`
    return marked ? unmarkedWithin(unmarked(text)) : text
  }
  if (plainTypes.test(column.type)) return value
  const text = `cast(to_json(${value}) as varchar)`
  return marked ? unmarkedWithin(text) : text
}

/** Columns whose every value is a number, some of them marked: they are read as numbers of any digits. */
async function exactColumns(
  duck: DuckDBConnection,
  base: string,
  operand: string,
  columns: readonly LaidOutColumn[],
): Promise<ReadonlySet<string>> {
  const open = columns.filter(({ type }) => type === 'VARCHAR' || type === 'JSON')
  if (open.length === 0) return new Set()
  const tests = open.map(({ path, type }, i) => {
    const value = `${operand}${steps(path)}`
    const text = type === 'JSON' ? `(${value} ->> '$')` : value
    const number = type === 'JSON' ? ` or json_type(${value}) in ('UBIGINT', 'BIGINT', 'DOUBLE')` : ''
    return `coalesce(bool_and(${text} is null or starts_with(${text}, '${mark}')${number}) and bool_or(starts_with(${text}, '${mark}')), false) as c${i}`
  })
  const [row] = (await duck.runAndReadAll(`select ${tests.join(', ')} from (${base})`)).getRows()
  return new Set(open.filter((_, i) => row![i]).map(({ name }) => name))
}

async function selected(
  duck: DuckDBConnection,
  base: string,
  operand: string,
  columns: readonly LaidOutColumn[],
  before: readonly { name: string; type: string; sql: string }[],
  marked: boolean,
  lined = false,
): Promise<{ sql: string; columns: { name: string; type: string }[] }> {
  const exact = marked ? await exactColumns(duck, base, operand, columns) : new Set()
  const all = [
    ...before,
    ...columns.map((column) => ({
      name: column.name,
      type: exact.has(column.name) ? 'NUMERIC' : plainTypes.test(column.type) ? column.type : 'VARCHAR',
      sql: valueSql(operand, column, marked),
    })),
  ]
  const broken = operand === 'r' || lined ? `, r is null as mattock_broken` : ''
  const line = lined ? ', mattock_record' : ''
  return {
    sql: `select mattock_file, ${all.map(({ name, sql }) => `${sql} as ${quoteName(name)}`).join(', ')}${broken}${line} from (${base})`,
    columns: all.map(({ name, type }) => ({ name, type })),
  }
}
