import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { transaction } from '../context/transaction'
import type { Keeper } from './definition'
import { planBytes, withoutRun } from './plans'
import { bytesOf, counted } from './tables'

/** Runs at a time: each may have ten thousand loads. */
const batch = 20

const at = 'coalesce(t.ended_at, t.created_at)'
/** The newest of each job in each environment stays: plans are compared with it. */
const goes = `t.state not in ('waiting', 'running', 'held') and exists (select 1 from mattock.run n
  where n.job = t.job and n.environment = t.environment and (n.created_at, n.id) > (t.created_at, t.id))`

export const runs: Keeper = {
  amount: async (engine, before) => {
    const { used } = await planBytes(engine)
    return {
      ...(await counted(engine, { table: 'run', at, goes }, before)),
      bytes: used + (await bytesOf(engine, ['run', 'load', 'load_step'])),
    }
  },
  takeAway: async (engine, before) => {
    const gone = await transaction(engine.db.$client, async (client) => {
      const { rows } = await client.query<{ id: number; plan_id: number }>(
        `delete from mattock.run where id in
           (select t.id from mattock.run t where ${at} < $1 and ${goes} order by t.id limit ${batch})
         returning id, plan_id`,
        [before],
      )
      // a rerun works from the plan of the run that it repeats, so the last of them takes it away
      const { rows: plans } = await client.query<{ id: number }>(
        `select t.id from mattock.plan t where t.id = any ($1) and ${withoutRun}`,
        [rows.map(({ plan_id }) => plan_id)],
      )
      const ids = plans.map(({ id }) => id)
      await client.query('delete from mattock.planned_load where plan_id = any ($1)', [ids])
      await client.query('delete from mattock.plan where id = any ($1)', [ids])
      return rows
    })
    for (const { id } of gone)
      await rm(join(engine.dataFolder, 'rejects', String(id)), { recursive: true, force: true })
    return gone.length
  },
}
