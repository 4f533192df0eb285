import type pg from 'pg'
import { startConcern, startKinds, starts, type Happened, type StartKind } from '../../core/job/starts'
import type { SeenRefresh } from '../../database/records'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { documentOf } from '../jobs/versions'
import { apartFromOthers, keepCame, takenBy, takenTo, type StateRow } from './due'
import { pauseAt, pausesSince, type Pause } from './pauses'

/** Runs that one transaction looks at. */
const batch = 50

const waitingKinds: readonly StartKind[] = startKinds.filter((kind) => starts[kind].times === undefined)

/**
 * Looks at runs that have ended, and decides what begins after them. A run is forgotten only in the transaction in which
 * that is kept.
 * @returns how many runs were looked at
 */
export async function lookAtEnded(engine: Engine): Promise<number> {
  return await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ id: number; environment: string | null; at: string; now: string } & Happened>(
      `select e.id, r.environment, r.job, r.id as run, case r.state when 'skipped' then 'done' else r.state end as state, e.at, mattock.clock() as now
       from (select * from mattock.ended_run order by id limit ${batch} for update skip locked) e left join mattock.run r on r.id = e.run_id order by e.id`,
    )
    if (rows.length === 0) return 0
    for (const { environment, at, now, ...happened } of rows)
      // a run may be cleared away meanwhile
      if (environment !== null) await decideAfter(engine, client, environment, at, Date.parse(now), happened)
    await client.query('delete from mattock.ended_run where id = any ($1)', [rows.map(({ id }) => id)])
    return rows.length
  })
} // prettier-ignore

async function decideAfter(
  engine: Engine,
  client: pg.ClientBase,
  environment: string,
  at: string,
  now: number,
  ended: Omit<Happened, 'refreshed'>,
): Promise<void> {
  // one after the other for each start, so that of two datasets that come at once the second sees the first
  const { rows } = await client.query<StateRow>(
    `select s.environment, s.job, s.start, s.kind, s.since, v.text from mattock.start_state s join mattock.job_version v on v.id = s.version_id
     where s.environment = $1 and s.kind = any ($2) order by s.job, s.start for update of s`,
    [environment, waitingKinds],
  )
  if (rows.length === 0) return
  const happened = { ...ended, refreshed: ended.state === 'done' ? await refreshedBy(client, environment, ended.run) : [] }
  let pauses: Pause[] | undefined
  for (const row of rows) {
    await apartFromOthers(engine, client, row, now, async () => {
    const job = documentOf(row)
    const start = job.starts.find(({ id }) => id === row.start)
    if (!start) return
    const concern = startConcern(start, happened, happened.refreshed.length > 0 ? await readBy(client, environment, row.job) : [])
    if (!concern) return
    const seen = concern.all ? await collect(client, row, concern, happened.run, at) : []
    if (!seen) return
    pauses ??= await pausesSince(client, environment, new Date(now).toISOString())
    const paused = pauseAt(pauses, row.job, row.start, now)
    const cause = concern.all ? seen.map(({ dataset, run }) => `${dataset} by run ${run}`).join(', ') : `run ${happened.run} of ${happened.job} is ${happened.state}`
    const taken = takenBy(job, start, now, job.slices && (await takenTo(client, environment, row.job)))
    const state = taken.state === 'due' && paused ? 'paused' : taken.state
    const why = state === 'paused' ? `paused by ${paused!.by}: ${paused!.why}` : taken.why
    await keepCame(client, row, start, [{ key: `run ${happened.run}`, at: Date.parse(at), cause, ...taken, state, why, ...(seen.length > 0 ? { seen } : {}) }])
    if (state === 'paused')
      await client.query('update mattock.start_state set next_at = $4 where environment = $1 and job = $2 and start = $3', [environment, row.job, row.start, paused!.until])
    })
  }
} // prettier-ignore

/** Notes what came of all that a start waits for; what has come, where that is all of it, else undefined. */
async function collect(
  client: pg.ClientBase,
  { environment, job, start }: StateRow,
  { of, came }: { readonly of: readonly string[]; readonly came: readonly string[] },
  run: number,
  at: string,
): Promise<SeenRefresh[] | undefined> {
  await client.query(
    `insert into mattock.start_seen (environment, job, start, dataset, run_id, at) select $1, $2, $3, unnest($4::text[]), $5, $6
     on conflict (environment, job, start, dataset) do update set run_id = excluded.run_id, at = excluded.at`,
    [environment, job, start, came, run, at],
  )
  const { rows } = await client.query<SeenRefresh>(
    `select dataset, run_id as run, at from mattock.start_seen where environment = $1 and job = $2 and start = $3 and dataset = any ($4) order by at, dataset`,
    [environment, job, start, of],
  )
  if (rows.length < new Set(of).size) return undefined
  await client.query('delete from mattock.start_seen where environment = $1 and job = $2 and start = $3', [environment, job, start]) // prettier-ignore
  return rows
}

/** The datasets that a run wrote, by their place and by the name that the catalog has for it. */
async function refreshedBy(client: pg.ClientBase, environment: string, run: number): Promise<string[]> {
  const { rows } = await client.query<{ name: string }>(
    `select distinct n.name from mattock.touch t
     left join mattock.dataset d on d.environment = $1 and d.connection = t.connection and d.gone_at is null
       and case when d.kind in ('table', 'view') then d.start = t.locator else starts_with(t.locator, d.start) end,
     lateral (values (t.connection || '.' || t.locator), (d.name)) n(name)
     where t.run_id = $2 and t.direction = 'write' and n.name is not null`,
    [environment, run],
  )
  return rows.map(({ name }) => name)
}

/** The datasets that a job lately read and does not itself write. */
export async function readBy(client: Pick<pg.ClientBase, 'query'>, environment: string, job: string): Promise<string[]> {
  const { rows } = await client.query<{ name: string }>(
    `with lately as (select connection, locator, direction from mattock.touch where job = $1 and environment = $2 order by at desc limit 2000)
     select distinct r.connection || '.' || r.locator as name from lately r join mattock.connection c on c.name = r.connection and c.kind = 'postgres'
     where r.direction = 'read' and not exists (select 1 from lately w where w.direction = 'write' and w.connection = r.connection and w.locator = r.locator)
     order by 1`,
    [job, environment],
  )
  return rows.map(({ name }) => name)
} // prettier-ignore
