import type { Engine } from '../context/engine'
import { groupBy } from '../../core/group'
import type { Need } from '../../core/job/waits'
import type { NightPart, NightRun, NightWait } from '../../core/schedule/foreseen'

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

/** Runs of an environment that go on, with what each of their parts has left and waits for. */
export async function runsGoingOn(engine: Engine, environment: string, histories: ReadonlyMap<string, JobHistory>): Promise<NightRun[]> {
  const client = engine.db.$client
  const [{ rows }, waits] = await Promise.all([
    client.query<Omit<NightRun, 'began'> & { began: string }>(
      `select r.job, r.id as run, r.created_at as began, array_agg(p.waiting + p.running + p.held order by p.part) as left
       from mattock.run r join mattock.run_part p on p.run_id = r.id
       where r.environment = $1 and r.state in ('running', 'held') and not r.past group by r.id, r.job order by r.id`,
      [environment],
    ),
    client.query<Needed>(
      `select s.run_id as run, s.part, n.kind, n.job, coalesce(j.title, n.job) as title, n.slice_from as "from", n.slice_to as "to", n.slice_label as label, n.dataset, n.run_needed as "runNeeded", o.job as "jobOfRun", s.gives_up_at as "givesUp",
         sum((select count(*) from mattock.load l where l.wait_set = s.id and l.lane < 0))::int as loads
       from mattock.run r join mattock.wait_set s on s.run_id = r.id join mattock.wait_need n on n.set_id = s.id
       left join mattock.job j on j.name = n.job left join mattock.run o on o.id = n.run_needed
       where r.environment = $1 and r.state in ('running', 'held') and not r.past and s.released_at is null and n.met_at is null
       group by 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12 order by 1, 2, n.slice_from`,
      [environment],
    ),
  ])
  const writers = (dataset: string) => [...histories].flatMap(([job, { writes }]) => (writes.includes(dataset) ? [{ job }] : []))
  const byRun = groupBy(waits.rows, ({ run }) => String(run))
  return rows.map(({ began, ...run }) => ({
    ...run,
    began: Date.parse(began),
    waits: byRun.get(String(run.run))?.map((need): NightWait => ({ part: need.part, loads: need.loads, ...(need.givesUp === null ? {} : { givesUp: Date.parse(need.givesUp) }), ...broughtBy(need, writers) })),
  }))
} // prettier-ignore

/** What loads of a part wait for, as it is kept. */
interface Needed {
  readonly run: number
  readonly part: number
  readonly kind: Need['kind'] | 'run'
  readonly job: string | null
  readonly title: string | null
  readonly from: string | null
  readonly to: string | null
  readonly label: string | null
  readonly dataset: string | null
  readonly runNeeded: number | null
  readonly jobOfRun: string | null
  readonly givesUp: string | null
  readonly loads: number
}

/** Who may bring what is waited for, and what that is called. Files come from outside. */
function broughtBy({ job, title, from, to, label, dataset, runNeeded, jobOfRun }: Needed, writers: (dataset: string) => { job: string }[]): Pick<NightWait, 'by' | 'words'> {
  if (job !== null) return { words: `${label} of ${title}`, by: [{ job, slice: { from: Date.parse(from!), to: Date.parse(to!) } }] }
  if (dataset !== null) return { words: dataset, by: writers(dataset) }
  if (runNeeded !== null) return { words: `run ${runNeeded}`, by: jobOfRun === null ? [] : [{ job: jobOfRun }] }
  return { words: 'its files', by: [] }
} // prettier-ignore

/** Loads that may use each connection at once, for those that have a cap. */
export async function connectionCaps(engine: Engine): Promise<Record<string, number>> {
  const { rows } = await engine.db.$client.query<{ name: string; cap: number }>(
    'select name, cap from mattock.connection where cap is not null order by name',
  )
  return Object.fromEntries(rows.map(({ name, cap }) => [name, cap]))
}
