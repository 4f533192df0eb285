import { quoteName } from '../../core/text/slot'
import type { CheckSpec } from '../../core/job/checks'
import type { Row } from '../../core/value'
import { recorded } from '../context/step'
import { sampled } from './breaking'
import { holds, many, textRow, type Checker } from './definition'

export const notNull: Checker<CheckSpec<'not_null'>> = {
  async table({ client, table, said, outcome, on }, columns) {
    const { rows } = await recorded(
      client,
      outcome,
      on,
      `select ${columns.map((column, i) => `count(*) filter (where ${quoteName(column)} is null) as c${i}`).join(', ')} from ${table}`,
    )
    const empty = columns.flatMap((column, i) => {
      const count = Number(rows[0][`c${i}`])
      return count > 0 ? [`${column} is empty in ${many(count)} rows`] : []
    })
    if (empty.length === 0) return holds
    const sample = await client.query<Row>(
      `select * from ${table} where ${columns.map((column) => `${quoteName(column)} is null`).join(' or ')} limit ${sampled}`,
    )
    return {
      why: `${empty.join('; ')} of ${said}`,
      advice: 'mend the source, or take the column out of the check',
      rows: sample.rows.map(textRow),
    }
  },
}
