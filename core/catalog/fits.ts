import type { ValueType } from '../value'
import { plainText } from '../files/readValue'
import type { ValueReading } from '../files/valueReading'
import { classOf, type ValueClass } from './valueClass'

const holds: Record<Exclude<ValueType, 'text'>, readonly ValueClass[]> = {
  integer: ['integer'],
  decimal: ['integer', 'decimal', 'point-three'],
  number: ['integer', 'decimal', 'point-three'],
  boolean: ['boolean'],
  date: ['date'],
  time: ['time'],
  timestamp: ['date', 'timestamp', 'timestamp-zone'],
}

/** Values of a sample that cannot be cast to a type, and the first of them. Blank values are no value, and fit. */
export function misfits(
  values: readonly (string | null)[],
  type: ValueType,
  reading: ValueReading = {},
): { count: number; first: string | null } {
  if (type === 'text') return { count: 0, first: null }
  const wrong = values.filter((value) => {
    const plain = plainText(value, type, reading)
    if (plain === undefined) return true
    const found = classOf(plain)
    return found !== 'blank' && !holds[type].includes(found)
  })
  return { count: wrong.length, first: wrong[0] ?? null }
}
