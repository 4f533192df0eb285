import type { Column, Value, ValueType } from '../value'

/** What a column of a control table asks of its cells. */
export interface CellRules {
  readonly required?: boolean
  readonly one_of?: readonly string[]
  /** The cell must name a connection. */
  readonly names?: 'connection'
}

/** Reads what was typed as a value of a type: empty is null; undefined where it does not fit. */
export function readCell(text: string, type: ValueType): Value | undefined {
  const trimmed = text.trim()
  if (type === 'text') return text === '' ? null : text
  if (trimmed === '') return null
  switch (type) {
    case 'integer':
      if (!/^[+-]?\d{1,19}$/.test(trimmed)) return undefined
      return Number.isSafeInteger(Number(trimmed)) ? Number(trimmed) : trimmed
    case 'number':
      return Number.isFinite(Number(trimmed)) ? Number(trimmed) : undefined
    case 'boolean':
      return /^(yes|true|t|1)$/i.test(trimmed) ? true : /^(no|false|f|0)$/i.test(trimmed) ? false : undefined
    case 'date': {
      const date = /^(\d{4})-(\d\d)-(\d\d)$/.exec(trimmed)
      const read = date && new Date(`${trimmed}T00:00:00Z`)
      return read && !Number.isNaN(read.getTime()) && read.toISOString().startsWith(trimmed)
        ? trimmed
        : undefined
    }
    case 'time':
      return /^([01]\d|2[0-3]):[0-5]\d(:[0-5]\d)?$/.test(trimmed) ? trimmed : undefined
    case 'timestamp':
      return Number.isNaN(Date.parse(trimmed)) ? undefined : new Date(trimmed).toISOString()
  }
}

const hints: Record<ValueType, string> = {
  text: 'text',
  integer: 'a whole number',
  number: 'a number',
  boolean: 'yes or no',
  date: 'a date such as 2026-11-01',
  time: 'a time such as 05:30',
  timestamp: 'a time such as 2026-11-01T05:30Z',
}

/** What is wrong with a cell, or undefined. `value` undefined means that the text could not be read. */
export function cellFault(
  column: Column,
  rules: CellRules | undefined,
  value: Value | undefined,
  connections: readonly string[],
): string | undefined {
  if (value === undefined) return `${column.name} takes ${hints[column.type]}`
  if (value === null || value === '') return rules?.required ? `${column.name} needs a value` : undefined
  if (rules?.one_of && !rules.one_of.includes(String(value)))
    return `${column.name} is one of ${rules.one_of.join(', ')}`
  if (rules?.names === 'connection' && !connections.includes(String(value)))
    return `there is no connection "${String(value)}"`
  return undefined
}
