import { folderValues } from '../../core/files/grouping'
import { quoteName } from '../../core/text/slot'
import { literal } from '../duck/duck'

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
  /** Broken lines: kept in DuckDB's tables of rejects, or the reading fails. */
  readonly rejects?: boolean
}

/** Adds the values of `name=value` folders as columns of text. */
export function withFolders(files: readonly StoreFile[], relation: Relation): Relation {
  const values = files.map(({ path }) => folderValues(path).values)
  const names = [...new Set(values.flatMap((list) => list.map(({ name }) => name)))].filter(
    (name) => !relation.columns.some((column) => column.name === name),
  )
  if (names.length === 0) return relation
  const rows = files.map(({ full }, i) => {
    const cells = names.map((name) => {
      const found = values[i]!.find((value) => value.name === name)
      return found?.value == null ? 'null' : literal(found.value)
    })
    return `(${[literal(full), ...cells].join(', ')})`
  })
  const list = names.map(quoteName).join(', ')
  return {
    sql: `(select f.*, ${names.map((name) => `v.${quoteName(name)}`).join(', ')} from ${relation.sql} f join (values ${rows.join(', ')}) v(mattock_file, ${list}) using (mattock_file))`,
    columns: [...relation.columns, ...names.map((name) => ({ name, type: 'VARCHAR' }))],
  }
}
