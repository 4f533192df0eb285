import { readCell } from '../catalog/rules'
import { valueText, type Column, type Value, type ValueType } from '../value'

/** What a column of a control table asks of its cells. */
export interface CellRules {
  readonly required?: boolean | undefined
  readonly one_of?: readonly string[] | undefined
  /** The cell must name a connection, or a dataset of the catalog. */
  readonly names?: 'connection' | 'dataset' | undefined
  /** No two rows have the same value; empty cells do not count. */
  readonly unique?: boolean | undefined
  /** An expression over `row` that must be true. */
  readonly holds?: string | undefined
  readonly note?: string | undefined
}

/** Names that cells may have to name. */
export interface KnownThings {
  readonly connection: readonly string[]
  readonly dataset: readonly string[]
}

const hints: Record<ValueType, string> = {
  text: 'text',
  integer: 'a whole number',
  decimal: 'a number',
  number: 'a number',
  boolean: 'yes or no',
  date: 'a date such as 2026-11-01',
  time: 'a time such as 05:30',
  timestamp: 'a time such as 2026-11-01T05:30Z',
}

/** What keeps a value from being one of a type, in words that follow the column's name; undefined where nothing does. */
export function valueFault(value: Value, type: ValueType): string | undefined {
  const text = valueText(value)
  if (text.includes('\0')) return 'cannot hold a zero byte'
  return readCell(text, type) === undefined ? `takes ${hints[type]}, not "${text}"` : undefined
}

/** What is wrong with a cell by itself, or undefined. `value` undefined means that the text could not be read. */
export function cellFault(
  column: Column,
  rules: CellRules | undefined,
  value: Value | undefined,
  known: KnownThings,
): string | undefined {
  if (value === undefined) return `${column.name} takes ${hints[column.type]}`
  if (value === null || value === '') return rules?.required ? `${column.name} needs a value` : undefined
  if (rules?.one_of && !rules.one_of.includes(String(value)))
    return `${column.name} is one of ${rules.one_of.join(', ')}`
  if (rules?.names && !known[rules.names].includes(String(value)))
    return `there is no ${rules.names} "${String(value)}"`
  return undefined
}

/** Values of a column that stand in several rows, each with the places of those rows. */
export function repeated(values: readonly (Value | undefined)[]): Map<string, number[]> {
  const places = new Map<string, number[]>()
  values.forEach((value, place) => {
    if (value === null || value === undefined || value === '') return
    const text = String(value)
    const list = places.get(text)
    if (list) list.push(place)
    else places.set(text, [place])
  })
  for (const [text, list] of places) if (list.length < 2) places.delete(text)
  return places
}
