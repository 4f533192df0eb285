import type pg from 'pg'
import type { BoundValue } from '../../core/text/slot'
import { stepFault, type Outcome } from '../context/step'

/** A value as the database writes it. */
export interface WrittenValue {
  readonly name: string
  readonly text: string | null
  readonly numeric: boolean
}

/** Types of numbers: int8, int2, int4, oid, float4, float8, numeric (pg_type.dat). */
const numbers = new Set([20, 21, 23, 26, 700, 701, 1700])

/** The one row that a SELECT gives, as the database writes it. @throws StepFault `not-one-row` */
export async function oneRow(
  client: pg.ClientBase,
  outcome: Outcome,
  on: string,
  text: string,
  values: readonly BoundValue[],
): Promise<WrittenValue[]> {
  const begun = performance.now()
  const own = text.trim().replace(/;\s*$/, '')
  const { fields, rows } = await client.query<(string | null)[]>({
    text: `select * from (\n${own}\n) asked limit 2`,
    values: [...values] as unknown[],
    rowMode: 'array',
    types: { getTypeParser: () => (value: string) => value },
  } as unknown as pg.QueryArrayConfig)
  outcome.statements.push({
    on,
    text,
    ...(values.length > 0 ? { values } : {}),
    rows: rows.length,
    milliseconds: Math.round((performance.now() - begun) * 10) / 10,
  })
  const [row, second] = rows
  if (!row || second)
    stepFault('not-one-row', `a check’s query gives ${row ? 'several rows' : 'no row'}, and one is meant`, 'mend the query of the check') // prettier-ignore
  return fields.map(({ name, dataTypeID }, i) => ({ name, text: row[i] ?? null, numeric: numbers.has(dataTypeID) })) // prettier-ignore
}
