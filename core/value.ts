/** The types a column of a roster or a parameter may have. A decimal is exact, whatever its digits; a number is binary (IEEE 754). */
export const valueTypes = [
  'text',
  'integer',
  'decimal',
  'number',
  'boolean',
  'date',
  'time',
  'timestamp',
] as const
export type ValueType = (typeof valueTypes)[number]

/**
 * One value as it travels in JSON. Integers outside ±2^53, and decimals that a double would change, travel as decimal
 * text, dates as `yyyy-MM-dd`,
 * times as `HH:mm[:ss]`, timestamps as ISO 8601 instants; the column's type tells them apart.
 */
export type Value = string | number | boolean | null

export type Row = Readonly<Record<string, Value>>

export interface Column {
  readonly name: string
  readonly type: ValueType
}

/** A list of rows with typed columns; `key` names the columns that tell the rows apart. */
export interface Table {
  readonly columns: readonly Column[]
  readonly key: readonly string[]
  readonly rows: readonly Row[]
}

/** A value as people read it: nothing for null, `true`/`false`, numbers without a needless `.0`. */
export function valueText(value: Value): string {
  return value === null ? '' : String(value)
}

/** A decimal text as a JSON number where that says the same, else as it is. */
export function decimalValue(text: string): number | string {
  const plain = /^([+-]?)0*(\d*)(?:\.(\d*?)0*)?$/.exec(text.trim())
  if (!plain) return text
  const [, sign, whole, rest] = plain
  const canonical = `${sign === '-' ? '-' : ''}${whole || '0'}${rest ? `.${rest}` : ''}`
  return String(Number(canonical)) === canonical ? Number(canonical) : text
}
