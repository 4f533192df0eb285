import { quoteName } from '../../core/text/slot'
import type { CheckSpec } from '../../core/job/checks'
import type { Row } from '../../core/value'
import { recorded } from '../context/step'
import { sampled } from './breaking'
import { holds, many, textRow, type Checker } from './definition'

export const unique: Checker<CheckSpec<'unique'>> = {
  async table({ client, table, said, outcome, on }, columns) {
    const list = columns.map(quoteName).join(', ')
    const { rows } = await recorded(
      client,
      outcome,
      on,
      `select coalesce(sum(n), 0) as repeated, count(*) as groups from (select count(*) as n from ${table} group by ${list} having count(*) > 1) g`,
    )
    const repeated = Number(rows[0].repeated)
    if (repeated === 0) return holds
    const sample = await client.query<Row>(
      `select ${list}, count(*)::int as rows from ${table} group by ${list} having count(*) > 1 order by ${list} limit ${sampled}`,
    )
    return {
      why: `${many(repeated)} rows of ${said} share ${columns.join(' and ')}`,
      advice: 'mend the source, or keep the last of each with repeats: keep-last',
      rows: sample.rows.map(textRow),
    }
  },
}
