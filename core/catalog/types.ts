import type { ValueType } from '../value'

/** A type that a job gives to a column: one of ours; of a decimal its digits may be said, and those behind the point. */
export type ColumnType = ValueType | `decimal(${string})`
/** `12,2`: digits, and those of them behind the point. */
export const digitsOfDecimal = /[1-9]\d{0,2}(, ?\d{1,3})?/

/** A column of a table as its database knows it. */
export interface TableColumn {
  readonly name: string
  /** The database's own name of the type, such as `numeric(8,2)`. */
  readonly type: string
  readonly notNull: boolean
}

/** The kind of value a Postgres type holds, as far as editing and expressions care. */
export function valueTypeOf(postgresType: string): ValueType {
  const type = postgresType.replace(/\(.*\)/, '').trim()
  if (/^(smallint|integer|bigint)$/.test(type)) return 'integer'
  if (type === 'numeric') return 'decimal'
  if (/^(real|double precision)$/.test(type)) return 'number'
  if (type === 'boolean') return 'boolean'
  if (type === 'date') return 'date'
  if (/^time( without time zone)?$/.test(type)) return 'time'
  if (/^timestamp.*with time zone$/.test(type)) return 'timestamp'
  return 'text'
}

/** The Postgres type a column of a new table gets. */
export function postgresTypeFor(type: ColumnType): string {
  if (type.startsWith('decimal')) return type.replace('decimal', 'numeric').replace(/,\s*/, ',')
  switch (type) {
    case 'integer':
      return 'bigint'
    case 'number':
      return 'double precision'
    case 'timestamp':
      return 'timestamp with time zone'
    default:
      return type
  }
}

/**
 * The DuckDB type that checks a text for a Postgres type. Types that DuckDB has no exact like of stay text, and
 * Postgres judges them itself.
 */
export function duckTypeFor(postgresType: string): string {
  const type = postgresType.replace(/\(.*\)/, '').trim()
  const exact: Record<string, string> = {
    smallint: 'SMALLINT',
    integer: 'INTEGER',
    bigint: 'BIGINT',
    real: 'FLOAT',
    'double precision': 'DOUBLE',
    boolean: 'BOOLEAN',
    date: 'DATE',
    uuid: 'UUID',
    'timestamp without time zone': 'TIMESTAMP',
    'timestamp with time zone': 'TIMESTAMPTZ',
    'time without time zone': 'TIME',
  }
  const numeric = /^numeric\((\d+),(\d+)\)$/.exec(postgresType)
  if (numeric && Number(numeric[1]) <= 38) return `DECIMAL(${numeric[1]},${numeric[2]})`
  return exact[type] ?? 'VARCHAR'
}
