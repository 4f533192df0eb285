import type { Row, Table, ValueType } from '../value'

/** Rows typed into the document; a column's type is that of its first value. */
export function typedTable(rows: readonly Row[]): Table {
  const types = new Map<string, ValueType>()
  for (const row of rows) {
    for (const [name, value] of Object.entries(row)) {
      if (value === null || types.has(name)) continue
      types.set(
        name,
        typeof value === 'boolean'
          ? 'boolean'
          : typeof value === 'number'
            ? Number.isInteger(value)
              ? 'integer'
              : 'number'
            : 'text',
      )
    }
  }
  const columns = [...types].map(([name, type]) => ({ name, type }))
  const first = columns[0]?.name
  return { columns, key: first === undefined ? [] : [first], rows }
}
