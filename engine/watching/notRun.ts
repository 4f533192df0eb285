import { groupBy } from '../../core/group'
import type { Job } from '../../core/job/document'
import { newestDue } from '../../core/schedule/takes'
import { slicesBetween, type Slice } from '../../core/slice/slices'
import type { Engine } from '../context/engine'
import { readableJob, versionsIn } from '../jobs/versions'
import { pauseAt, pausesSince, type Pause } from '../scheduling/pauses'
import type { Decision } from './decision'
import { standsSince } from './stands'

/** Slices that are looked at of a job at most, where the matter stands for long. */
const most = 2000

/** Slices that are due and have not been loaded. */
interface Missing {
  readonly job: Job
  readonly slices: readonly Slice[]
  /** Of each slice: is there what was loaded before it was over? */
  readonly early: readonly boolean[]
}

/**
 * Jobs of which slices that are due have no run, though they have run in this environment before: the newest, and what
 * was due since the matter stands, so that none is taken for loaded because a later one came.
 */
export async function notRun(engine: Engine, environment: string, at: Date): Promise<Decision[]> {
  const stands = await standsSince(engine, environment, ['not-run'])
  const due = (await versionsIn(engine, environment)).flatMap((version) => {
    const job = readableJob(version)
    const newest = job && newestDue(job, at.getTime())
    return newest ? dueSince(job, newest, stands.get(job.name)).map((slice) => ({ job, slice })) : []
  })
  const { rows } = await engine.db.$client.query<{ at: number; early: boolean }>(
    `select c.at::int, exists (select 1 from mattock.run r join mattock.load l on l.run_id = r.id
         where r.job = c.job and r.environment = $1 and l.slice_from = c."from" and l.state = 'done') as early
     from unnest($2::text[], $3::timestamptz[], $4::timestamptz[]) with ordinality c(job, "from", "to", at)
     where exists (select 1 from mattock.run r where r.job = c.job and r.environment = $1)
       and not exists (select 1 from mattock.run r join mattock.load l on l.run_id = r.id
         where r.job = c.job and r.environment = $1 and r.created_at >= c."to" and l.slice_from = c."from")`,
    [
      environment,
      due.map(({ job }) => job.name),
      due.map(({ slice }) => slice.from),
      due.map(({ slice }) => slice.to),
    ],
  )
  const missing = groupBy(
    rows.map((row) => ({ ...due[row.at - 1]!, early: row.early })),
    ({ job }) => job.name,
  )
  const pauses = missing.size === 0 ? [] : await pausesSince(engine.db.$client, environment, at.toISOString())
  return [...missing.values()].map((list) =>
    notRunDecision(
      { job: list[0]!.job, slices: list.map(({ slice }) => slice), early: list.map(({ early }) => early) },
      pauses,
      at,
    ),
  )
}

/** The newest slice that is due, and those before it since the one that was missing first. */
function dueSince(job: Job, newest: Slice, since: number | undefined): readonly Slice[] {
  const first = since === undefined ? undefined : newestDue(job, since)
  if (!first || Date.parse(first.from) >= Date.parse(newest.from)) return [newest]
  try {
    return slicesBetween(job.slices!, first.from, newest.to).slice(-most)
  } catch {
    // more than anybody reads
    return [newest]
  }
}

function notRunDecision({ job, slices, early }: Missing, pauses: readonly Pause[], at: Date): Decision {
  const newest = slices.at(-1)!
  const many = slices.length > 1
  const isEarly = early.every(Boolean)
  const kept = job.starts.map(({ id }) => pauseAt(pauses, job.name, id, at.getTime()))
  const why =
    kept.length > 0 && kept.every((pause) => pause !== undefined)
      ? `it is paused by ${kept[0]!.by}: ${kept[0]!.why}`
      : isEarly
        ? 'what is there of it was loaded before it was over'
        : `no run has taken ${many ? 'them' : 'this slice'} up yet`
  return {
    kind: 'not-run',
    key: `not-run ${job.name}`,
    title: `${job.title}: ${many ? `${slices.length.toLocaleString('en')} slices are over and have` : `${newest.label} is over and has`} not been loaded${isEarly ? ' since' : ''}`,
    text: many ? `${slices[0]!.label} to ${newest.label}; ${why}` : why,
    count: slices.length,
    run: null,
    job: job.name,
    connection: null,
    latest: newest.to,
  }
}

/** Jobs whose text, as it runs here, cannot be read any more: nothing of them begins by itself, and nobody would see why. */
export async function unreadable(engine: Engine, environment: string): Promise<Decision[]> {
  return (await versionsIn(engine, environment)).flatMap((version) => {
    if (readableJob(version)) return []
    return {
      kind: 'not-begun' as const,
      key: `unreadable ${version.job}`,
      title: `${version.job} cannot be read any more`,
      text: 'its text was written for an earlier Mattock; nothing of it begins by itself until it is mended',
      count: 1,
      run: null,
      job: version.job,
      connection: null,
      latest: version.createdAt,
    }
  })
}
