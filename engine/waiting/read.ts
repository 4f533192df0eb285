import type { Engine } from '../context/engine'

/** One thing that a load waits for, or waited for. */
export interface ReadNeed {
  readonly kind: 'slice' | 'refresh' | 'files' | 'run' | 'check'
  readonly met: string | null
  /** Of a slice: whose, and which. */
  readonly job: string | null
  readonly title: string | null
  readonly row: string | null
  readonly from: string | null
  readonly to: string | null
  readonly label: string | null
  /** Loads of the slice by what became of them; null where it is no slice. */
  readonly loads: { readonly loaded: number; readonly failed: number; readonly underWay: number } | null
  /** The newest run that took the slice. */
  readonly run: number | null
  /** When it is usually there; null where nothing is known of that. */
  readonly usual: string | null
  /** Of a check: the step. */
  readonly step: string | null
  readonly dataset: string | null
  readonly after: string | null
  readonly store: string | null
  readonly pattern: string | null
  readonly marker: string | null
  /** Files that are there, though not yet whole. */
  readonly seen: readonly { readonly path: string; readonly size: number }[]
}

export interface LoadWaits {
  readonly since: string
  readonly releasedAt: string | null
  /** When it waits no longer, and fails; null where it waits however long. */
  readonly givesUpAt: string | null
  readonly gaveUp: boolean
  readonly needs: readonly ReadNeed[]
}

/** Needs of a load that are told at most, those that are not met first. */
const most = 100

/** What a load waits for, or waited for; null where it never did. */
export async function waitsOfLoad(engine: Engine, load: number): Promise<LoadWaits | null> {
  const { rows } = await engine.db.$client.query<LoadWaits & { set: string }>(
    `select s.id::text as set, s.since + r.clock_offset * interval '1 ms' as since, s.released_at + r.clock_offset * interval '1 ms' as "releasedAt", s.gives_up_at as "givesUpAt", s.gave_up as "gaveUp"
     from mattock.load l join mattock.run r on r.id = l.run_id join mattock.wait_set s on s.id = l.wait_set where l.id = $1`,
    [load],
  )
  const [found] = rows
  if (!found) return null
  const { rows: needs } = await engine.db.$client.query<ReadNeed>(
    `select n.kind, n.met_at as met, n.job, v.title, n.row_key as row, n.slice_from as "from", n.slice_to as "to", n.slice_label as label,
       n.step, n.dataset, n.after, n.store, n.pattern, n.marker, coalesce(n.seen, '[]') as seen, coalesce(n.run_needed, x.run) as run,
       case when n.kind = 'slice' then jsonb_build_object('loaded', coalesce(c.loaded, 0), 'failed', coalesce(c.failed, 0), 'underWay', coalesce(u.loads, 0)) end as loads,
       case when n.met_at is null then n.slice_to + make_interval(secs => g.seconds) end as usual
     from mattock.wait_need n
     left join lateral (select r.title from mattock.run r where r.job = n.job order by r.id desc limit 1) v on true
     left join lateral (
       select count(*) filter (where state in ('done', 'skipped'))::int as loaded, count(*) filter (where state not in ('done', 'skipped'))::int as failed, max(run_id) as run
       from mattock.coverage c where c.environment = n.environment and c.job = n.job and c.slice_from = n.slice_from and c.slice_to = n.slice_to and (n.row_key is null or c.row_key = n.row_key)) c on true
     left join lateral (
       select count(*)::int as loads, max(r.id) as run from mattock.run r join mattock.load l on l.run_id = r.id
       where r.environment = n.environment and r.job = n.job and r.state in ('running', 'held', 'waiting') and l.state in ('waiting', 'running', 'held')
         and l.slice_from = n.slice_from and l.slice_to = n.slice_to and (n.row_key is null or l.row_key = n.row_key)) u on true
     left join lateral (select coalesce(u.run, c.run) as run) x on true
     left join lateral (${usualSql('n.environment', 'n.job')}) g on n.met_at is null and n.kind in ('slice', 'check')
     where n.set_id = $1 order by n.met_at is not null, n.position limit ${most}`,
    [found.set],
  )
  const { since, releasedAt, givesUpAt, gaveUp } = found
  return { since, releasedAt, givesUpAt, gaveUp, needs }
}

/** What a load still waited for when it was let go for having waited too long, in words; nothing where it was not. */
export async function unmetOf(engine: Engine, load: number): Promise<string[]> {
  const { rows } = await engine.db.$client.query<{ what: string }>(
    `select coalesce(n.slice_label || ' of ' || n.job || coalesce(' (' || n.row_key || ')', '') || coalesce(', step ' || n.step, ''), n.dataset, n.pattern || ' in ' || n.store, 'run ' || n.run_needed) as what
     from mattock.load l join mattock.wait_set s on s.id = l.wait_set join mattock.wait_need n on n.set_id = s.id
     where l.id = $1 and s.gave_up and l.let_go is null and n.met_at is null order by n.position`,
    [load],
  )
  return rows.map(({ what }) => what)
} // prettier-ignore

/** Seconds after its end at which a slice of a job is usually loaded whole: the middle of the last 28. */
export const usualSql = (environment: string, job: string): string =>
  `select percentile_cont(0.5) within group (order by late) as seconds from (
     select date_part('epoch', max(loaded_at) - slice_to) as late from mattock.coverage
     where environment = ${environment} and job = ${job} and loaded_at is not null and slice_from in (
       select slice_from from mattock.loaded_slice where job = ${job} and environment = ${environment} order by slice_to desc limit 28)
     group by slice_from, slice_to) lags`
