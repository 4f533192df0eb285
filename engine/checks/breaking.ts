import type { Row } from '../../core/value'
import { recorded } from '../context/step'
import { holds, many, textRow, type Checked, type Verdict } from './definition'

/** Rows that are kept of those that break a check. */
export const sampled = 20

/** The verdict on rows of a table that must not be: those for which a condition is true. */
export async function breaking(
  { client, table, said, outcome, on }: Checked,
  condition: string,
  values: readonly unknown[],
  words: { readonly why: string; readonly advice: string },
): Promise<Verdict> {
  const { rows } = await recorded(client, outcome, on, `select count(*) as n from ${table} checked where ${condition}`, values) // prettier-ignore
  const count = Number(rows[0].n)
  if (count === 0) return holds
  const sample = await client.query<Row>(`select * from ${table} checked where ${condition} limit ${sampled}`, [...values]) // prettier-ignore
  return {
    why: `${many(count)} ${count === 1 ? 'row' : 'rows'} of ${said}: ${words.why}`,
    advice: words.advice,
    rows: sample.rows.map(textRow),
  }
}
