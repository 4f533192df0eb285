import type { CheckSpec } from '../../core/job/checks'
import type { Row } from '../../core/value'
import { recorded } from '../context/step'
import { sampled } from './breaking'
import { holds, many, textRow, type Checker } from './definition'

export const none: Checker<CheckSpec<'none'>> = {
  async alone({ client, outcome, on, text, own }) {
    const query = text('query')
    if (query.kind !== 'sql') throw new Error('SQL was expected')
    const select = (await own(query.text)).trim().replace(/;\s*$/, '')
    const { rows } = await recorded(client, outcome, on, `select count(*) as n from (\n${select}\n) found`, query.values) // prettier-ignore
    const count = Number(rows[0].n)
    if (count === 0) return holds
    const sample = await client.query<Row>(`select * from (\n${select}\n) found limit ${sampled}`, [...query.values]) // prettier-ignore
    return {
      why: `the query gives ${many(count)} ${count === 1 ? 'row' : 'rows'}, and none is meant`,
      advice: 'mend the rows, or the query',
      rows: sample.rows.map(textRow),
    }
  },
}
