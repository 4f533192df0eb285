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

/** A plain decimal text without needless zeros and signs; undefined for what is none. */
function canonicalDecimal(text: string): string | undefined {
  const plain = /^([+-]?)0*(\d*)(?:\.(\d*?)0*)?$/.exec(text.trim())
  if (!plain || !/\d/.test(text)) return undefined
  const [, sign, whole, rest] = plain
  const digits = `${whole || '0'}${rest ? `.${rest}` : ''}`
  return sign === '-' && digits !== '0' ? `-${digits}` : digits
}

/** Is a text a number, written plainly or with an exponent? */
export const isNumber = (text: string): boolean => /^\s*[+-]?(\d+(\.\d*)?|\.\d+)(e[+-]?\d+)?\s*$/i.test(text)

/** Are two numbers, as databases write them, the same? Exactly, whatever their digits; with an exponent as doubles. */
export function sameNumber(a: string, b: string): boolean {
  const [one, other] = [canonicalDecimal(a), canonicalDecimal(b)]
  if (one !== undefined && other !== undefined) return one === other
  return isNumber(a) && isNumber(b) ? Number(a) === Number(b) : a === b
}

/** A decimal text as a JSON number where that says the same, else as it is. */
export function decimalValue(text: string): number | string {
  const canonical = canonicalDecimal(text)
  // a zero with a sign is left as it was written
  if (canonical === undefined || (canonical === '0' && text.includes('-'))) return text
  return String(Number(canonical)) === canonical ? Number(canonical) : text
}
