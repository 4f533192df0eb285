import type { DuckDBConnection } from '@duckdb/node-api'
import { quoteName } from '../../core/text/slot'
import { fail } from '../../core/fault'
import type { FileFormat } from '../../core/catalog/found'
import { folderValues } from '../../core/files/grouping'
import { literal, literalList } from '../duck/duck'
import { documentTables } from './json/documents'
import { layDownSheets } from './xlsx/sheets'

/** A file to read: its full path, and its path in the store. */
export interface StoreFile {
  readonly full: string
  readonly path: string
}

/** Files as something DuckDB can select from. */
export interface Relation {
  /** Stands after FROM; it has the columns and `mattock_file`, the full path of the row's file. */
  readonly sql: string
  /** DuckDB's types; all VARCHAR for formats of text. */
  readonly columns: readonly { readonly name: string; readonly type: string }[]
}

export interface CsvReading {
  /** Types by column; VARCHAR where there is none. */
  readonly types?: Readonly<Record<string, string>>
  /** Broken lines: kept in DuckDB's tables of rejects, or the reading fails. */
  readonly rejects?: boolean
}

/** The call of DuckDB's CSV reader for files of one dialect and the same columns. */
export function csvSql(
  paths: readonly string[],
  format: FileFormat,
  names: readonly string[],
  { types = {}, rejects = false }: CsvReading = {},
): string {
  const quote = format.quote ?? '"'
  const options = [
    'auto_detect = false',
    `header = ${format.header ?? true}`,
    `delim = ${literal(format.delimiter ?? ',')}`,
    `quote = ${literal(quote)}`,
    `escape = ${literal(quote)}`,
    'allow_quoted_nulls = false',
    `filename = 'mattock_file'`,
    ...(format.skip ? [`skip = ${format.skip}`] : []),
    ...(format.comment ? [`comment = ${literal(format.comment)}`] : []),
    ...(format.decimal ? [`decimal_separator = ${literal(format.decimal)}`] : []),
    ...(format.encoding && format.encoding !== 'utf-8' ? [`encoding = ${literal(format.encoding)}`] : []),
    ...(format.gzip ? ["compression = 'gzip'"] : []),
    ...(rejects ? ['store_rejects = true', 'rejects_limit = 0'] : []),
    `columns = {${names.map((name) => `${literal(name)}: ${literal(types[name] ?? 'VARCHAR')}`).join(', ')}}`,
  ]
  return `read_csv(${literalList(paths)}, ${options.join(', ')})`
}

/**
 * Opens files of one format and the same columns. `names` are the columns of formats of text. Files that cannot be read
 * as they are (sheets) are laid down in `folder` first.
 * @throws FaultError `file`
 */
export async function openRelation(
  duck: DuckDBConnection,
  files: readonly StoreFile[],
  format: FileFormat,
  names: readonly string[],
  folder: string,
  reading: CsvReading = {},
): Promise<Relation> {
  const paths = files.map(({ full }) => full)
  switch (format.kind) {
    case 'csv':
      return withFolders(files, {
        sql: csvSql(paths, format, names, reading),
        columns: names.map((name) => ({ name, type: reading.types?.[name] ?? 'VARCHAR' })),
      })
    case 'parquet': {
      const sql = `read_parquet(${literalList(paths)}, union_by_name = true, filename = 'mattock_file', hive_partitioning = false)`
      const reader = await duck.runAndReadAll(`describe select * exclude (mattock_file) from ${sql}`)
      const columns = (reader.getRows() as [string, string][]).map(([name, type]) => ({ name, type }))
      return withFolders(files, { sql, columns })
    }
    case 'json':
    case 'ndjson': {
      const tables = await documentTables(duck, paths, format)
      const table = tables.find(({ inner }) => inner === (format.inner ?? ''))
      if (!table) fail('file', `${files[0]!.path} has no list ${format.inner}`)
      return withFolders(files, { sql: `(${table.sql})`, columns: table.columns })
    }
    case 'xlsx': {
      const parts: { full: string; csv: string; names: readonly string[] }[] = []
      for (const [i, file] of files.entries()) {
        const book = await layDownSheets(file.full, file.path, `${folder}/${i}`, format.sheet)
        const [sheet] = book.sheets
        if (!sheet) fail('file', `${file.path} has no sheet ${format.sheet ?? ''} that holds a table`)
        parts.push({ full: file.full, csv: sheet.csv, names: sheet.place.names })
      }
      const own = new Map(parts.map(({ csv, full }) => [csv, full]))
      const selects = parts.map(
        ({ csv, names: header }) =>
          `select * replace (${literal(own.get(csv)!)} as mattock_file) from ${csvSql([csv], { kind: 'csv' }, header, reading)}`,
      )
      return withFolders(files, {
        sql: `(${selects.join(' union all by name ')})`,
        columns: parts[0]!.names.map((name) => ({ name, type: reading.types?.[name] ?? 'VARCHAR' })),
      })
    }
  }
}

/** Adds the values of `name=value` folders as columns of text. */
function withFolders(files: readonly StoreFile[], relation: Relation): Relation {
  const values = files.map(({ path }) => folderValues(path).values)
  const names = [...new Set(values.flatMap((list) => list.map(({ name }) => name)))].filter(
    (name) => !relation.columns.some((column) => column.name === name),
  )
  if (names.length === 0) return relation
  const rows = files.map(({ full }, i) => {
    const cells = names.map((name) => {
      const found = values[i]!.find((value) => value.name === name)
      return found ? literal(found.value) : 'null'
    })
    return `(${[literal(full), ...cells].join(', ')})`
  })
  const list = names.map(quoteName).join(', ')
  return {
    sql: `(select f.*, ${names.map((name) => `v.${quoteName(name)}`).join(', ')} from ${relation.sql} f join (values ${rows.join(', ')}) v(mattock_file, ${list}) using (mattock_file))`,
    columns: [...relation.columns, ...names.map((name) => ({ name, type: 'VARCHAR' }))],
  }
}
