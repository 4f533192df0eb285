import { unusual } from '../../core/usual/usual'
import { groupBy } from '../../core/group'
import type { Arrival, Arrivals, ArrivalsAsk } from '../arrivals/read'
import type { Engine } from '../context/engine'
import type { Decision } from '../watching/decision'
import { fileDecision } from '../watching/files'
import { failureDecision, type OpenFailure } from '../watching/failures'
import { failedFor, recent } from '../watching/gather'
import { silenceDecision, withBefore, type LoadedSlice } from '../watching/silence'

/** Days that are known in retrospect of an environment that nobody looked at before. */
const days = 60

interface Past {
  readonly from: string
  readonly until: string
}

type Span = Decision & { readonly since: string; readonly until: string | null }

/**
 * What needed a decision in the time before anybody looked, as far as what is kept tells it: loads that failed until they
 * were done, rows far from usual, and files that came late. It is worked out once, when an environment is first looked at, or anew for a demo.
 */
export async function fillSpans(
  engine: Engine,
  environment: string,
  readArrivals: (ask: ArrivalsAsk) => Promise<Arrivals>,
): Promise<void> {
  const { $client } = engine.db
  const { rows } = await $client.query<{ from: string; until: string; now: string }>(
    `select mattock.clock() - make_interval(days => ${days}) as "from", coalesce((select min(since) from mattock.matter_span where environment = $1), mattock.clock()) as until, mattock.clock() as now`,
    [environment],
  )
  const { now, ...span } = rows[0]!
  const { from } = span
  const over = Date.parse(now)
  const spans = [...(await failedSpans(engine, environment, span, over)), ...(await silentSpans(engine, environment, span, over)), ...(await lateSpans(environment, span, over, readArrivals))] // prettier-ignore
  await $client.query(
    `with filled as (
       insert into mattock.matter_span (environment, key, kind, cause, job, title, text, since, until)
       select $1, s.key, s.kind, coalesce(s.cause, s.key), s.job, s.title, s.text, s.since, s.until
       from jsonb_to_recordset($2::jsonb) s(key text, kind text, cause text, job text, title text, text text, since timestamptz, until timestamptz)
       on conflict do nothing)
     update mattock.alert_watch set known_from = $3 where environment = $1`,
    [environment, JSON.stringify(spans), from],
  )
}

/** Failed loads grouped as the Morning sheet does, for as long as one of them was not done. */
async function failedSpans(engine: Engine, environment: string, { from, until }: Past, now: number): Promise<Span[]> {
  const { rows } = await engine.db.$client.query<OpenFailure & { since: string; until: string | null }>(
    `with failed as (
       select r.job, r.title, l.cause, l.error, l.key, l.number, l.id, r.id as run, l.ended_at as since,
         least((select min(coalesce(d.started_at, dr.started_at, dr.created_at)) from mattock.load d join mattock.run dr on dr.id = d.run_id
           where dr.environment = r.environment and dr.job = r.job and d.key = l.key and d.id > l.id and d.state in ('done', 'failed', 'held', 'running', 'waiting')),
           r.created_at + make_interval(secs => $4)) as until
       from mattock.load l join mattock.run r on r.id = l.run_id
       where r.environment = $1 and l.state = 'failed' and l.ended_at >= $2 and l.ended_at < $3 order by l.ended_at limit 200000),
     marked as (
       select *, max(until) over (partition by job, cause order by since, id rows between unbounded preceding and 1 preceding) as before from failed),
     islands as (select *, count(*) filter (where before is null or since > before) over (partition by job, cause order by since, id) as island from marked)
     select job, max(title) as title, cause, (array_agg(error ->> 'message' order by id desc))[1] as message, (array_agg(error ->> 'code' order by id desc))[1] as code, (array_agg(error ->> 'advice' order by id desc))[1] as advice,
       count(distinct key)::int as count, max(run) as run, max(since) as latest, (array_agg(key order by number))[1:3] as keys, bool_and(coalesce(error ->> 'code' = 'check', false)) as check,
       min(since) as since, max(until) as until
     from islands group by job, cause, island order by min(since)`,
    [environment, from, until, failedFor / 1000],
  )
  // what still stands goes on standing: whoever looks now finds it there
  return rows.map((row) => ({ ...failureDecision(row), since: row.since, until: row.until !== null && Date.parse(row.until) > now ? null : row.until }))
} // prettier-ignore

/** Loads whose rows were far from those before them, from then on for as long as the Morning sheet shows them. */
async function silentSpans(engine: Engine, environment: string, { from, until }: Past, now: number): Promise<Span[]> {
  const { rows } = await engine.db.$client.query<LoadedSlice>(
    `${withBefore(`select * from mattock.coverage where environment = $1 and loaded_at >= $2 and loaded_at < $3 and slice_to > loaded_at - interval '10 days' order by loaded_at limit 50000`)} order by c.loaded_at`,
    [environment, from, until],
  )
  const found = rows.flatMap((row) => {
    const what = unusual(row.rows, row.before)
    return what ? [{ ...row, what }] : []
  })
  return [...groupBy(found, ({ job, what, label }) => `${job} ${what} ${label}`).values()].map((list) => {
    const ends = new Date(Math.max(...list.map(({ at }) => Date.parse(at))) + recent)
    return { ...silenceDecision([...list].reverse(), list[0]!.what), since: list[0]!.at, until: ends.getTime() > now ? null : ends.toISOString() }
  })
} // prettier-ignore

/** Files that came after they were due, or never, slice by slice: until the last of them was there, or nobody asked any more. */
async function lateSpans(
  environment: string,
  { from, until }: Past,
  now: number,
  readArrivals: (ask: ArrivalsAsk) => Promise<Arrivals>,
): Promise<Span[]> {
  const { late } = await readArrivals({ environment, from, until, late: true })
  const ends = ({ came, slice }: Arrival) => (came === null ? 2 * Date.parse(slice.to) - Date.parse(slice.from) : Date.parse(came))
  return [...groupBy(late, ({ job, slice }) => `${job} ${slice.label}`).values()].flatMap((list) => {
    const since = list.map(({ due }) => due!).sort()[0]!
    const ended = Math.max(...list.map(ends))
    if (Date.parse(since) >= Date.parse(until) || ended <= Date.parse(from)) return []
    return { ...fileDecision(list), since, until: ended > now ? null : new Date(ended).toISOString() }
  })
} // prettier-ignore
