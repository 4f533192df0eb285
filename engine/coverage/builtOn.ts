import { partName, type Job } from '../../core/job/document'
import { waitJobs } from '../../core/job/waits'
import { slicesMeeting } from '../../core/slice/slices'
import type { PlanPick } from '../../core/plan/types'
import type { Engine } from '../context/engine'
import { readableJob, versionsIn } from '../jobs/versions'

/** A later job whose slices were built on some that are to be loaded again. */
export interface BuiltOn {
  readonly job: string
  readonly title: string
  /** How it is known: it waits for the other, or read what that wrote. */
  readonly how: 'waits' | 'read'
  readonly of: string
  /** What of it was loaded; null where it has no slices, and all of it is to be run. */
  readonly picks: readonly PlanPick[] | null
  readonly loads: number
}

interface Span {
  readonly from: string
  readonly to: string
}

/**
 * What was built on stretches of a job's data time: the jobs that wait for it, or that lately read what it wrote, with the
 * slices of theirs that meet those stretches and are loaded; then what was built on those. In an order in which each comes
 * after those that it was built on.
 */
export async function builtOn(engine: Engine, environment: string, job: string, stretches: readonly Span[]): Promise<BuiltOn[]> {
  const jobs = new Map<string, Job>()
  for (const version of await versionsIn(engine, environment)) {
    // one that cannot be read any more cannot be run
    const known = readableJob(version)
    if (known) jobs.set(version.job, known)
  }
  const readers = await readersOf(engine, environment)
  const found = new Map<string, BuiltOn & { readonly spans: readonly Span[] }>()
  const queue: { readonly job: string; readonly spans: readonly Span[] }[] = [{ job, spans: stretches }]
  for (let at = 0; at < queue.length && at < 200; at++) {
    const { job: of, spans } = queue[at]!
    for (const [name, later] of jobs) {
      if (name === job || name === of) continue
      const waits = later.parts.some(({ each }) => each?.waits?.some((wait) => waitJobs(wait).includes(of)))
      if (!waits && !readers.get(of)?.has(name)) continue
      const picks = later.slices ? await loadedWithin(engine, environment, later, spans) : null
      if (picks?.length === 0) continue
      const before = found.get(name)
      const more = before?.picks ? merged([...before.picks, ...(picks ?? [])]) : picks
      // what is known whole is not looked at again, so that jobs that read each other come to an end
      if (before && (more?.length ?? 0) === (before.picks?.length ?? 0)) continue
      const own = more?.map(({ from, to }) => ({ from, to })) ?? spans
      found.delete(name)
      found.set(name, { job: name, title: later.title, how: waits ? 'waits' : 'read', of, picks: more, loads: more?.length ?? 0, spans: distinct(own) })
      queue.push({ job: name, spans: distinct(own) })
    }
  }
  return [...found.values()].map(({ spans: _spans, ...one }) => one)
} // prettier-ignore

/** The jobs that in the last 90 days read what each job wrote. */
async function readersOf(engine: Engine, environment: string): Promise<Map<string, Set<string>>> {
  const { rows } = await engine.db.$client.query<{ writer: string; reader: string }>(
    `with lately as (
       select distinct job, connection, locator, direction from mattock.touch where environment = $1 and at > mattock.clock() - interval '90 days')
     select distinct w.job as writer, r.job as reader from lately w join lately r on r.connection = w.connection and r.locator = w.locator
     where w.direction = 'write' and r.direction = 'read' and r.job <> w.job`,
    [environment],
  )
  const readers = new Map<string, Set<string>>()
  for (const { writer, reader } of rows) readers.set(writer, (readers.get(writer) ?? new Set()).add(reader))
  return readers
}

/** The loaded slices of a job that meet some spans, row by row. */
async function loadedWithin(engine: Engine, environment: string, job: Job, spans: readonly Span[]): Promise<PlanPick[]> {
  const slices = distinct(spans.flatMap(({ from, to }) => slicesMeeting(job.slices!, from, to)))
  const parts = job.parts.flatMap((part, index) => (part.each?.slices ? [partName(part, index)] : []))
  const { rows } = await engine.db.$client.query<PlanPick>(
    `select c.part, c.row_key as row, s."from", s."to" from unnest($3::text[], $4::text[]) s("from", "to")
     join mattock.coverage c on c.environment = $1 and c.job = $2 and c.slice_from = s."from"::timestamptz and c.slice_to = s."to"::timestamptz
     where c.loaded_by is not null and c.part = any ($5) order by c.slice_from, c.part, c.row_key`,
    [environment, job.name, slices.map(({ from }) => from), slices.map(({ to }) => to), parts],
  )
  return rows
} // prettier-ignore

const distinct = (spans: readonly Span[]): Span[] => [...new Map(spans.map(({ from, to }) => [`${from} ${to}`, { from, to }])).values()] // prettier-ignore
const merged = (picks: readonly PlanPick[]): PlanPick[] => [...new Map(picks.map((pick) => [JSON.stringify([pick.part, pick.row, pick.from, pick.to]), pick])).values()] // prettier-ignore
