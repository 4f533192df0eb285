import type pg from 'pg'

/** A history to lay: so many loads of one job, each of its rows and days about as often as the others. */
export interface History {
  readonly plan: number
  readonly version: number
  readonly rows: number
  readonly days: number
  readonly loads: number
  /** End of the last day, `2026-11-25`. */
  readonly until: string
}

/** Lays loads down as if they had been run: a run for each day, and again for as often as it takes; one in 500 failed. */
export async function layHistory(
  client: pg.Pool,
  { plan, version, rows, days, loads, until }: History,
): Promise<void> {
  const rounds = Math.ceil(loads / (rows * days))
  await client.query(
    `with made as (
       insert into mattock.run (job, title, version_id, plan_id, environment, state, by, cause, priority, past, created_at, started_at, ended_at)
       select 'wide', 'wide', $1, $2, 'dev', 'done', 'bench', 'by hand', 0, true, at, at, at + interval '5 minutes'
       from generate_series(1, $3::int) round cross join generate_series(1, $4::int) day
       cross join lateral (select $5::timestamptz - make_interval(days => day - 1) + make_interval(hours => round) as at) t
       returning id, created_at)
     insert into mattock.load (run_id, number, part, each, key, row_key, slice_from, slice_to, slice_label, state, attempt, started_at, ended_at, read, written)
     select m.id, n - 1, 0, true, n || ' · ' || to_char(day, 'YYYY-MM-DD'), n::text, day at time zone 'UTC', (day + interval '1 day') at time zone 'UTC', to_char(day, 'YYYY-MM-DD'),
       case when (n * 7 + extract(doy from day)::int) % 500 = 0 then 'failed' else 'done' end, 1, created_at, created_at + interval '1 minute', 1000 + n, 1000 + n
     from made m cross join generate_series(1, $6::int) n
     cross join lateral (select date_trunc('day', created_at at time zone 'UTC' - interval '24 hours') as day) d`,
    [version, plan, rounds, days, until, rows],
  )
  await client.query('analyze mattock.load; analyze mattock.run')
}
