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
    client.query<{ job: string; part: number; lengths: number[] }>(
      `select r.job, l.part, array_agg(greatest(1, extract(epoch from l.ended_at - l.started_at)::float8 * 1000)) as lengths
       from mattock.job j cross join lateral (
         select r.id, r.job from mattock.run r where r.job = j.name and r.environment = $1 and r.state in ('done', 'failed') order by r.created_at desc limit 5) r
       cross join lateral (
         select l.part, l.started_at, l.ended_at from mattock.load l where l.run_id = r.id and l.state = 'done' and l.ended_at is not null order by l.number limit ${looked}) l
       group by r.job, l.part`,
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
  const lengthsOf = new Map(lengths.rows.map((row) => [`${row.job} ${row.part}`, row.lengths]))
  const histories = new Map<string, { parts: NightPart[] | undefined; writes: string[]; reads: string[] }>()
  const of = (job: string) => {
    const known = histories.get(job)
    if (known) return known
    const made = { parts: undefined, writes: [], reads: [] }
    histories.set(job, made)
    return made as { parts: NightPart[] | undefined; writes: string[]; reads: string[] }
  }
  for (const { job, part, loads, atOnce, waits } of parts.rows)
    (of(job).parts ??= []).push({ loads, atOnce, waits, lengths: lengthsOf.get(`${job} ${part}`) ?? [] })
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
