import type { ValueType } from '../value'
import { classOf, type ValueClass } from './valueClass'

const holds: Record<Exclude<ValueType, 'text'>, readonly ValueClass[]> = {
  integer: ['integer'],
  decimal: ['integer', 'decimal'],
  number: ['integer', 'decimal'],
  boolean: ['boolean'],
  date: ['date'],
  time: ['time'],
  timestamp: ['date', 'timestamp', 'timestamp-zone'],
}

/** Values of a sample that cannot be cast to a type, and the first of them. Blank values are no value, and fit. */
export function misfits(
  values: readonly (string | null)[],
  type: ValueType,
  decimal: '.' | ',' = '.',
): { count: number; first: string | null } {
  if (type === 'text') return { count: 0, first: null }
  const wanted: readonly ValueClass[] =
    (type === 'number' || type === 'decimal') && decimal === ','
      ? ['integer', 'decimal-comma']
      : [...holds[type]]
  const wrong = values.filter((value) => {
    const found = classOf(value)
    return found !== 'blank' && !wanted.includes(found)
  })
  return { count: wrong.length, first: wrong[0] ?? null }
}
