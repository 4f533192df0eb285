import type { OccasionState } from '../../database/schedule'
import type { Engine } from '../context/engine'

/** One time that a start came, as it is told. */
export interface Told {
  readonly id: number
  readonly job: string
  readonly title: string
  readonly start: string
  readonly kind: string
  readonly at: string
  readonly state: OccasionState
  readonly cause: string
  readonly why: string | null
  readonly from: string | null
  readonly to: string | null
  readonly decidedAt: string
  readonly begunAt: string | null
  readonly run: number | null
  readonly runState: string | null
  readonly plan: number | null
}

interface Wanted {
  readonly environment: string
  readonly job?: string | undefined
  readonly state?: OccasionState | undefined
  readonly offset: number
  readonly limit: number
}

/** What was decided about starts, newest first. */
export async function listOccasions(engine: Engine, { environment, job, state, offset, limit }: Wanted): Promise<{ total: number; occasions: Told[] }> {
  const where = `o.environment = $1 and ($2::text is null or o.job = $2) and ($3::text is null or o.state = $3)`
  const values = [environment, job ?? null, state ?? null]
  const client = engine.db.$client
  const [{ rows }, total] = await Promise.all([
    client.query<Told>(
      `select o.id, o.job, coalesce(j.title, o.job) as title, o.start, o.kind, o.at, o.state, o.cause, o.why, o."from", o."to", o.decided_at as "decidedAt",
         o.begun_at as "begunAt", r.id as run, r.state as "runState", p.id as plan
       from mattock.occasion o left join mattock.job j on j.name = o.job left join mattock.run r on r.id = o.run_id left join mattock.plan p on p.id = o.plan_id
       where ${where} order by o.at desc, o.id desc offset $4 limit $5`,
      [...values, offset, limit],
    ),
    client.query<{ count: number }>(`select count(*)::int as count from mattock.occasion o where ${where}`, values),
  ])
  return { total: total.rows[0]!.count, occasions: rows }
} // prettier-ignore

/** A run that was, within a span. */
export interface PastRun {
  readonly run: number
  readonly job: string
  readonly state: string
  readonly start: string | null
  readonly from: string
  readonly to: string | null
}

/** Runs of an environment within a span, of jobs that still are there; the newest 5,000 of them. */
export async function pastRuns(engine: Engine, environment: string, from: string, until: string): Promise<PastRun[]> {
  const { rows } = await engine.db.$client.query<PastRun>(
    `select r.id as run, r.job, r.state, o.start, coalesce(r.started_at, r.created_at) as from, r.ended_at as to
     from mattock.run r left join mattock.occasion o on o.id = r.occasion_id
     where r.environment = $1 and r.created_at < $3 and r.created_at > $2::timestamptz - interval '2 days' and coalesce(r.ended_at, mattock.clock()) >= $2
     order by r.created_at desc limit 5000`,
    [environment, from, until],
  )
  return rows
} // prettier-ignore

/** How late starts begin their runs, in seconds, over the last day; those that were made up for do not count. */
export async function startLag(engine: Engine, environment: string): Promise<{ starts: number; median: number; most: number } | null> {
  const { rows } = await engine.db.$client.query<{ starts: number; median: number | null; most: number }>(
    `select count(*)::int as starts, percentile_cont(0.5) within group (order by lag) as median, max(lag) as most
     from (select extract(epoch from begun_at - at)::float8 as lag from mattock.occasion
           where environment = $1 and state = 'started' and why is null and at > mattock.clock() - interval '1 day') l`,
    [environment],
  )
  const { median, ...rest } = rows[0]!
  return median === null ? null : { ...rest, median }
} // prettier-ignore
