import type { Engine } from '../context/engine'
import type { NightPart, NightRun } from '../../core/schedule/night'

/** What is known of how a job's runs go. */
export interface JobHistory {
  /** The parts of its newest whole run; undefined where none was ever done. */
  readonly parts: readonly NightPart[] | undefined
  /** The datasets that it wrote lately, `connection.place`. */
  readonly writes: readonly string[]
  readonly reads: readonly string[]
}

/** Loads of a job whose lengths are looked at. */
const looked = 200

/** How the runs of all jobs of an environment go: what the newest whole run of each did, and how long loads took. */
export async function jobHistories(engine: Engine, environment: string): Promise<Map<string, JobHistory>> {
  const client = engine.db.$client
  const [parts, lengths, touched] = await Promise.all([
    client.query<{ job: string; part: number; loads: number; atOnce: number; waits: number[] }>(
      `select r.job, p.part, p.done + p.failed + p.skipped + p.stopped as loads, p.at_once as "atOnce", p.waits
       from mattock.job j cross join lateral (
         select r.* from mattock.run r where r.job = j.name and r.environment = $1 and r.state in ('done', 'failed') and r.rerun_of is null
         order by r.created_at desc limit 1) r
       join mattock.run_part p on p.run_id = r.id order by r.job, p.part`,
      [environment],
    ),
    // loads of a lane use the same connections
    client.query<{ job: string; part: number; lengths: number[]; capped: string[] }>(
      `select s.job, s.part, s.lengths, array(select c.name from mattock.connection c where c.cap is not null and c.name = any (n.connections)) as capped
       from (
         select r.job, r.id, l.part, l.lane, array_agg(greatest(1, extract(epoch from l.ended_at - l.started_at)::float8 * 1000)) as lengths
         from mattock.job j cross join lateral (
           select r.id, r.job from mattock.run r where r.job = j.name and r.environment = $1 and r.state in ('done', 'failed') order by r.created_at desc limit 5) r
         cross join lateral (
           select l.part, case when l.lane < 0 then -1 - l.lane else l.lane end as lane, l.started_at, l.ended_at from mattock.load l
           where l.run_id = r.id and l.state = 'done' and l.ended_at is not null order by l.number limit ${looked}) l
         group by r.job, r.id, l.part, l.lane) s
       left join mattock.run_lane n on n.run_id = s.id and n.part = s.part and n.lane = s.lane`,
      [environment],
    ),
    client.query<{ job: string; direction: 'read' | 'write'; names: string[] }>(
      `select j.name as job, t.direction, array_agg(distinct t.connection || '.' || t.locator) as names
       from mattock.job j cross join lateral (
         select t.* from mattock.touch t where t.job = j.name and t.environment = $1 order by t.at desc limit 200) t
       join mattock.connection c on c.name = t.connection and c.kind = 'postgres'
       group by j.name, t.direction`,
      [environment],
    ),
  ])
  const samples = new Map<string, { lengths: number[]; uses: (readonly string[])[] }>()
  for (const { job, part, lengths: own, capped } of lengths.rows) {
    const key = `${job} ${part}`
    const sample = samples.get(key) ?? { lengths: [], uses: [] }
    samples.set(key, sample)
    for (const length of own) {
      sample.lengths.push(length)
      sample.uses.push(capped)
    }
  }
  const histories = new Map<string, { parts: NightPart[] | undefined; writes: string[]; reads: string[] }>()
  const of = (job: string) => {
    const known = histories.get(job)
    if (known) return known
    const made = { parts: undefined, writes: [], reads: [] }
    histories.set(job, made)
    return made as { parts: NightPart[] | undefined; writes: string[]; reads: string[] }
  }
  for (const { job, part, loads, atOnce, waits } of parts.rows)
    (of(job).parts ??= []).push({ loads, atOnce, waits, ...(samples.get(`${job} ${part}`) ?? { lengths: [] }) })
  for (const { job, direction, names } of touched.rows) of(job)[direction === 'write' ? 'writes' : 'reads'] = names
  for (const history of histories.values())
    history.reads = history.reads.filter((name) => !history.writes.includes(name))
  return histories
} // prettier-ignore

/** Runs of an environment that go on, with what each of their parts has left. */
export async function runsGoingOn(engine: Engine, environment: string): Promise<NightRun[]> {
  const { rows } = await engine.db.$client.query<Omit<NightRun, 'began'> & { began: string }>(
    `select r.job, r.id as run, r.created_at as began, array_agg(p.waiting + p.running + p.held order by p.part) as left
     from mattock.run r join mattock.run_part p on p.run_id = r.id
     where r.environment = $1 and r.state in ('running', 'held') and not r.past group by r.id, r.job order by r.id`,
    [environment],
  )
  return rows.map(({ began, ...run }) => ({ ...run, began: Date.parse(began) }))
}

/** Loads that may use each connection at once, for those that have a cap. */
export async function connectionCaps(engine: Engine): Promise<Record<string, number>> {
  const { rows } = await engine.db.$client.query<{ name: string; cap: number }>(
    'select name, cap from mattock.connection where cap is not null order by name',
  )
  return Object.fromEntries(rows.map(({ name, cap }) => [name, cap]))
}
