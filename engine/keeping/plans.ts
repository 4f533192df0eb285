import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import type { Keeper } from './definition'
import { bytesOf, counted } from './tables'

/** Plans at a time: each may have some hundred thousand loads. */
const batch = 10

const at = 't.created_at'
export const withoutRun = 'not exists (select 1 from mattock.run r where r.plan_id = t.id)'

/** Bytes of the plans of runs, and of the others: those of all plans, by their number of loads. */
export async function planBytes(engine: Engine): Promise<{ used: number; unused: number }> {
  const bytes = await bytesOf(engine, ['plan', 'planned_load', 'plan_row', 'plan_slice'])
  const { rows } = await engine.db.$client.query<{ share: number }>(
    `select coalesce(sum(t.loads + 1) filter (where ${withoutRun}) / nullif(sum(t.loads + 1), 0)::float8, 0) as share from mattock.plan t`,
  )
  const unused = Math.round(bytes * rows[0]!.share)
  return { used: bytes - unused, unused }
}

export const plans: Keeper = {
  amount: async (engine, before) => {
    const { rows } = await engine.db.$client.query<{ count: number; oldest: string | null }>(
      `select count(*) as count, min(${at}) as oldest from mattock.plan t where ${withoutRun}`,
    )
    const { goes } = await counted(engine, { table: 'plan', at, goes: withoutRun }, before)
    return { ...rows[0]!, goes, bytes: (await planBytes(engine)).unused }
  },
  takeAway: (engine, before) =>
    transaction(engine.db.$client, async (client) => {
      const { rows } = await client.query<{ id: number }>(
        `select t.id from mattock.plan t where ${at} < $1 and ${withoutRun} order by t.id limit ${batch} for update skip locked`,
        [before],
      )
      const ids = rows.map(({ id }) => id)
      await client.query('delete from mattock.planned_load where plan_id = any ($1)', [ids])
      await client.query('delete from mattock.plan where id = any ($1)', [ids])
      return ids.length
    }),
}
