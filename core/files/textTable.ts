import { valueText, type Column, type Row, type Table, type Value, type ValueType } from '../value'
import { judgeEvidence, noEvidence, type Evidence } from '../catalog/evidence'
import { readCell } from '../catalog/rules'
import { classOf } from '../catalog/valueClass'
import { plainText } from './readValue'
import type { ValueReading } from './valueReading'

/** Rows of text as a table: each column gets the strictest type that all of its values fit; '' and null are nothing. */
export function textTable(
  names: readonly string[],
  rows: readonly (readonly (string | null)[])[],
  key: readonly string[] = names.slice(0, 1),
): Table {
  const judged = names.map((name, i) => ({ name, ...judgeColumn(rows, i) }))
  const columns: Column[] = judged.map(({ name, type }) => ({ name, type }))
  return {
    columns,
    key,
    rows: rows.map((row) =>
      Object.fromEntries(
        judged.map(({ name, type, reading }, i) => [name, read(row[i] ?? null, type, reading)]),
      ),
    ) as Row[],
  }
}

function judgeColumn(
  rows: readonly (readonly (string | null)[])[],
  column: number,
): { type: ValueType; reading: ValueReading | undefined } {
  const counts: Evidence['counts'] = {}
  for (const row of rows) {
    const name = classOf(row[column] ?? null)
    counts[name] = (counts[name] ?? 0) + 1
  }
  const { type, reading } = judgeEvidence({ ...noEvidence, counts })
  return { type, reading }
}

function read(text: string | null, type: ValueType, reading: ValueReading | undefined): Value {
  const plain = plainText(text, type, reading)
  if (plain === undefined) return valueText(text!)
  if (plain === null || type === 'text') return plain
  return readCell(plain, type) ?? valueText(plain)
}
