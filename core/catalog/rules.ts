import { decimalValue, type Value, type ValueType } from '../value'

/** Reads what was typed as a value of a type: empty is null; undefined where it does not fit. */
export function readCell(text: string, type: ValueType): Value | undefined {
  const trimmed = text.trim()
  if (type === 'text') return text === '' ? null : text
  if (trimmed === '') return null
  switch (type) {
    case 'integer':
      if (!/^[+-]?\d{1,19}$/.test(trimmed)) return undefined
      return Number.isSafeInteger(Number(trimmed)) ? Number(trimmed) : trimmed
    case 'decimal':
      return /^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d{1,3})?$/.test(trimmed) ? decimalValue(trimmed) : undefined
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
