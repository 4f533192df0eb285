import type { Engine } from '../context/engine'

/** The start that began a run, and what it came by. */
export interface BegunBy {
  readonly start: string
  readonly cause: string
  /** Why it was late, or for how many it makes up; null where it began in time. */
  readonly why: string | null
}

/** A dataset that a run began for, and that was refreshed again before the run had ended. */
export interface CameAfter {
  readonly dataset: string
  readonly run: number
  readonly at: string
}

/** The start that began a run; null where somebody or something else did. */
export async function begunByStart(engine: Engine, run: number): Promise<BegunBy | null> {
  const { rows } = await engine.db.$client.query<BegunBy>(
    'select o.start, o.cause, o.why from mattock.run r join mattock.occasion o on o.id = r.occasion_id where r.id = $1',
    [run],
  )
  return rows[0] ?? null
}

/**
 * What a run that begins when datasets are refreshed did not work from: of those that it began for, the newest refresh
 * that came after it began and before it had ended.
 */
export async function cameAfter(engine: Engine, run: number): Promise<CameAfter[]> {
  const { rows } = await engine.db.$client.query<CameAfter>(
    `select distinct on (s.dataset) s.dataset, t.run_id as run, t.at
     from mattock.run r join mattock.occasion o on o.id = r.occasion_id and jsonb_typeof(o.seen) = 'array'
     cross join lateral jsonb_to_recordset(o.seen) s(dataset text)
     join mattock.touch t on t.environment = r.environment and t.connection = split_part(s.dataset, '.', 1)
       and t.locator = substr(s.dataset, strpos(s.dataset, '.') + 1) and t.direction = 'write'
     where r.id = $1 and t.run_id <> r.id and t.at > r.created_at and t.at <= coalesce(r.ended_at, mattock.clock())
     order by s.dataset, t.at desc`,
    [run],
  )
  return rows
}
