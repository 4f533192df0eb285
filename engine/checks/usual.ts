import { quantile } from '../../core/forecast/quantile'
import type { CheckSpec } from '../../core/job/checks'
import { recorded } from '../context/step'
import { many, type Checker, type CheckedAlone } from './definition'
import { oneRow } from './oneRow'

/** Earlier loads that the usual number is taken from, newest first. */
const lookedAt = 20

export const usual: Checker<CheckSpec<'usual'>> = {
  async alone(checked, { query: given, within, after }) {
    const { client, outcome, on, table, said, text, own } = checked
    const query = given === undefined ? undefined : text('query')
    const found =
      query?.kind === 'sql'
        ? Number((await oneRow(client, outcome, on, await own(query.text), query.values))[0]!.text)
        : Number((await recorded(client, outcome, on, `select count(*) as n from ${table}`)).rows[0].n)
    const before = await earlier(checked)
    if (before.length < after)
      return { found, note: `${many(found)} rows; only ${many(before.length)} earlier loads were counted, so no usual number is known` } // prettier-ignore
    const median = quantile(before, 0.5)
    return Math.abs(found - median) <= within * median
      ? { found }
      : {
          why: `${many(found)} rows in ${said}, and ${many(median)} are usual (the median of ${before.length} loads), which is more than ${Math.round(within * 1000) / 10} % off`,
          advice: 'look whether the source is complete',
          found,
        }
  },
}

/** The numbers that this step counted in earlier loads of the same row where it held, newest first. */
async function earlier({ context: { engine, load, step, aside } }: CheckedAlone): Promise<number[]> {
  if (aside) return []
  const { rows } = await engine.db.$client.query<{ found: number }>(
    `select (c ->> 'found')::float8 as found
     from mattock.load own join mattock.run r on r.id = own.run_id
       cross join lateral (select id from mattock.run o where o.job = r.job and o.environment = r.environment and o.id <= r.id order by o.id desc limit 100) o
       join mattock.load l on l.run_id = o.id and l.id <> own.id and l.row_key is not distinct from own.row_key
       join mattock.load_step s on s.load_id = l.id and s.step = $2
       cross join lateral jsonb_array_elements(s.checks) c
     where own.id = $1 and c ->> 'kind' = 'usual' and (c ->> 'holds')::boolean and c ? 'found'
     order by l.id desc limit ${lookedAt}`,
    [load, step],
  )
  return rows.map(({ found }) => found)
}
