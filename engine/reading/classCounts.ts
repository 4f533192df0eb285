import type { DuckDBConnection } from '@duckdb/node-api'
import {
  classOf,
  classSql,
  otherClass,
  trimSql,
  valueClasses,
  type ValueClass,
} from '../../core/catalog/valueClass'

export type ClassCounts = Partial<Record<ValueClass, number>>

/** A histogram of classes as DuckDB gives it. */
export interface Histogram {
  readonly entries: readonly { readonly key: number; readonly value: bigint }[]
}

/** Values by class; those that are none of the common ones apart. */
export function countsOf(histogram: Histogram | null): { counts: ClassCounts; other: number } {
  const counts: ClassCounts = {}
  let other = 0
  for (const { key, value } of histogram?.entries ?? [])
    if (key === otherClass) other = Number(value)
    else counts[valueClasses[key]!] = Number(value)
  return { counts, other }
}

/** Adds what is none of the common classes as text. */
export const withOther = ({ counts, other }: { counts: ClassCounts; other: number }): ClassCounts =>
  other === 0 ? counts : { ...counts, text: (counts.text ?? 0) + other }

/** The values of a column that are none of the common classes, each with how often it stands in which file. */
export async function otherValues(
  duck: DuckDBConnection,
  from: string,
  operand: string,
  byFile: boolean,
): Promise<{ file: string; value: string; name: ValueClass; count: number }[]> {
  const reader = await duck.runAndReadAll(
    `select f, v, count(*) from (select ${byFile ? 'mattock_file' : "''"} as f, ${trimSql(operand)} as v from ${from}) where ${classSql('v')} = ${otherClass} group by all`,
  )
  return reader.getRows().map(([file, value, count]) => ({
    file: String(file),
    value: String(value),
    name: classOf(String(value)),
    count: Number(count),
  }))
}

/** How many values of which class they are, by file. */
export function byClass(values: Awaited<ReturnType<typeof otherValues>>): Map<string, ClassCounts> {
  const found = new Map<string, ClassCounts>()
  for (const { file, name, count } of values) {
    const counts = found.get(file) ?? {}
    counts[name] = (counts[name] ?? 0) + count
    found.set(file, counts)
  }
  return found
}

/**
 * Classes of values of columns of text, by file where it is asked for: of each column its histogram and the letters of
 * its longest value. The columns are laid below each other, so that the expression stands once: DuckDB needs some 6 ms
 * to read it (measured with 1.5.5), which is seconds for a thousand columns beside each other.
 */
export async function classesBelow(
  duck: DuckDBConnection,
  from: string,
  operands: readonly string[],
  byFile: boolean,
): Promise<{ file: string; column: number; rows: number; histogram: Histogram; longest: number }[]> {
  const file = byFile ? 'mattock_file' : "''"
  const values = operands.map(trimSql).join(', ')
  const reader = await duck.runAndReadAll(
    `select f, i, count(*), histogram(${classSql('v')}), max(length(v))
     from (select ${file} as f, unnest(range(${operands.length})) as i, unnest([${values}]) as v from ${from}) group by f, i`,
  )
  return reader.getRows().map(([f, column, rows, histogram, longest]) => ({
    file: String(f),
    column: Number(column),
    rows: Number(rows),
    histogram: histogram as unknown as Histogram,
    longest: Number(longest ?? 0),
  }))
}

/** Values by class of columns of text. */
export async function classCounts(
  duck: DuckDBConnection,
  from: string,
  operands: readonly string[],
): Promise<ClassCounts[]> {
  if (operands.length === 0) return []
  const below = new Map(
    (await classesBelow(duck, from, operands, false)).map((one) => [one.column, one.histogram]),
  )
  const found = operands.map((_, i) => countsOf(below.get(i) ?? null))
  for (const [i, { counts, other }] of found.entries())
    if (other > 0 && !counts.text) {
      const more = byClass(await otherValues(duck, from, operands[i]!, false)).get('')
      found[i] = { counts: { ...counts, ...more }, other: 0 }
    }
  return found.map(withOther)
}
