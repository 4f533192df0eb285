import { fitsText } from '../cast/fitsText'
import { plainText } from '../files/readValue'
import type { ValueReading } from '../files/valueReading'
import { valueTypeOf } from './types'
import { judgeEvidence } from './evidence'
import { classOf, markIn, type ValueClass } from './valueClass'

/** Is a value nothing, or one of a Postgres type, by the reading of its column? */
function fits(value: string | null, type: string, reading: ValueReading): boolean {
  const kind = valueTypeOf(type)
  if (kind === 'text') {
    if (value === null || reading.nulls?.includes(value.trim())) return true
    return fitsText(/^(text|character|bpchar)/.test(type) ? value : value.trim(), type)
  }
  const plain = plainText(value, kind, reading)
  return plain === null || (plain !== undefined && fitsText(plain.trim(), type))
}

/** Values of a sample that cannot be cast to a Postgres type, and the first of them. Blank values are no value, and fit. */
export function misfits(
  values: readonly (string | null)[],
  type: string,
  reading: ValueReading = {},
): { count: number; first: string | null } {
  const wrong = values.filter((value) => !fits(value, type, reading))
  return { count: wrong.length, first: wrong[0] ?? null }
}

/** How values are written, as a load works it out by itself; by a sample. */
export function readingBySample(values: readonly (string | null)[], stated: ValueReading): ValueReading {
  const counts: Partial<Record<ValueClass, number>> = {}
  for (const value of values) {
    const name = value !== null && stated.nulls?.includes(value.trim()) ? 'blank' : classOf(value)
    counts[name] = (counts[name] ?? 0) + 1
  }
  const { reading } = judgeEvidence({ counts, firsts: {}, longest: 0 })
  if (!reading?.marks) return { ...stated, ...reading }
  // of signs those that are there; of several kinds none is left out
  const marks = [...new Set(values.flatMap((value) => (value === null ? [] : (markIn(value.trim()) ?? []))))]
  return marks.length > 1 ? stated : { ...stated, ...reading, marks: marks.length > 0 ? marks : ['( )'] }
}

/** What a column is to become, and how the catalog says that it is written. */
export interface WantedColumn {
  /** Postgres's name of the type. */
  readonly type: string
  readonly reading?: ValueReading | undefined
}

/** Values of a column that its type cannot take. */
export interface OddValues {
  readonly column: string
  readonly type: string
  /** The first of them, its place among the rows of the sample, and how many there are. */
  readonly value: string
  readonly row: number
  readonly count: number
}

/**
 * The columns of a sample with values that their types cannot take. `detects`: what the job does not say of the writing,
 * a load works out by itself.
 */
export function oddValues(
  names: readonly string[],
  rows: readonly (readonly string[])[],
  wanted: ReadonlyMap<string, WantedColumn>,
  { stated, detects }: { readonly stated: ValueReading; readonly detects: boolean },
): OddValues[] {
  return names.flatMap((column, at) => {
    const want = wanted.get(column)
    if (!want || want.type === 'text') return []
    const { type } = want
    const values = rows.map((fields) => fields[at] ?? null)
    const plain = { ...stated, ...want.reading }
    let row = values.findIndex((value) => !fits(value, type, plain))
    if (row < 0) return []
    let reading: ValueReading = plain
    if (detects && want.reading === undefined && valueTypeOf(type) !== 'text') {
      reading = readingBySample(values, stated)
      row = values.findIndex((value) => !fits(value, type, reading))
    }
    if (row < 0) return []
    const { count } = misfits(values, type, reading)
    return [{ column, type, value: values[row]!, row, count }]
  })
}
