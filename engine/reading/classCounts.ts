import type { DuckDBConnection } from '@duckdb/node-api'
import {
  classSql,
  oddClassSql,
  otherClass,
  trimSql,
  unmarkedSql,
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

/** Values by any class, of columns among which are others than the common ones; by file where `byFile` says so. */
export async function oddCounts(
  duck: DuckDBConnection,
  from: string,
  operands: readonly string[],
  byFile: boolean,
): Promise<Map<string, ClassCounts[]>> {
  const file = byFile ? 'mattock_file' : `''`
  const each = (of: (i: number) => string) => operands.map((_, i) => of(i)).join(', ')
  const values = operands.map((operand, i) => `${trimSql(operand)} as v${i}`).join(', ')
  const reader = await duck.runAndReadAll(
    `select f, ${each((i) => `histogram(${oddClassSql(`v${i}`, `c${i}`, `u${i}`)})`)} from (
       select f, ${each((i) => `v${i}, ${classSql(`v${i}`)} as c${i}, ${unmarkedSql(`v${i}`)} as u${i}`)} from (
         select ${file} as f, ${values} from ${from})) group by f`,
  )
  return new Map(
    reader
      .getRows()
      .map((row) => [
        String(row[0]),
        operands.map((_, i) => countsOf(row[1 + i] as unknown as Histogram | null).counts),
      ]),
  )
}

/** Values by class of columns of text. */
export async function classCounts(
  duck: DuckDBConnection,
  from: string,
  operands: readonly string[],
): Promise<ClassCounts[]> {
  if (operands.length === 0) return []
  const values = operands.map((operand, i) => `${trimSql(operand)} as v${i}`).join(', ')
  const reader = await duck.runAndReadAll(
    `select ${operands.map((_, i) => `histogram(${classSql(`v${i}`)})`).join(', ')} from (select ${values} from ${from})`,
  )
  const [row] = reader.getRows()
  const found = operands.map((_, i) => countsOf((row?.[i] ?? null) as unknown as Histogram | null))
  const asked = found.flatMap(({ counts, other }, i) => (other > 0 && !counts.text ? [i] : []))
  if (asked.length === 0) return found.map(withOther)
  const odd = await oddCounts(duck, from, asked.map((i) => operands[i]!), false) // prettier-ignore
  return found.map((one, i) => (asked.includes(i) ? (odd.get('')?.[asked.indexOf(i)] ?? {}) : withOther(one)))
}
