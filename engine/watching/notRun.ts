import { newestDue } from '../../core/schedule/takes'
import type { Engine } from '../context/engine'
import { readableJob, versionsIn } from '../jobs/versions'
import type { Decision } from './decision'

/** Jobs whose newest slice that is due has no run, though they have run in this environment before. */
export async function notRun(engine: Engine, environment: string, at: Date): Promise<Decision[]> {
  const closed = (await versionsIn(engine, environment)).flatMap((version) => {
    const job = readableJob(version)
    const slice = job && newestDue(job, at.getTime())
    return slice ? [{ job, slice }] : []
  })
  const { rows } = await engine.db.$client.query<{ job: string; early: boolean }>(
    `select c.job, exists (select 1 from mattock.run r join mattock.load l on l.run_id = r.id
         where r.job = c.job and r.environment = $1 and l.slice_from = c."from" and l.state = 'done') as early
     from unnest($2::text[], $3::timestamptz[], $4::timestamptz[]) c(job, "from", "to")
     where exists (select 1 from mattock.run r where r.job = c.job and r.environment = $1)
       and not exists (select 1 from mattock.run r join mattock.load l on l.run_id = r.id
         where r.job = c.job and r.environment = $1 and r.created_at >= c."to" and l.slice_from = c."from")`,
    [
      environment,
      closed.map(({ job }) => job.name),
      closed.map(({ slice }) => slice.from),
      closed.map(({ slice }) => slice.to),
    ],
  )
  const missing = new Map(rows.map(({ job, early }) => [job, early]))
  return closed
    .filter(({ job }) => missing.has(job.name))
    .map(({ job, slice }) => ({
      kind: 'not-run',
      key: `not-run ${job.name} ${slice.label}`,
      title: `${job.title}: ${slice.label} is over and has not been loaded${missing.get(job.name) ? ' since' : ''}`,
      text: missing.get(job.name)
        ? 'what is there of it was loaded before it was over'
        : 'no run has taken this slice up yet',
      count: 1,
      run: null,
      job: job.name,
      connection: null,
      latest: slice.to,
    }))
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
