import { createHash } from 'node:crypto'
import type pg from 'pg'
import { isTimed, startKind, type Start } from '../../core/job/starts'
import type { Job } from '../../core/job/document'
import { FaultError } from '../../core/fault'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { documentOf, versionsIn } from '../jobs/versions'

/** The starts of the jobs of an environment, by the versions that run there; a job whose text can no longer be read has none. */
export async function allStarts(
  engine: Engine,
  environment: string,
): Promise<{ job: Job; version: number; start: Start }[]> {
  return (await versionsIn(engine, environment)).flatMap((version) => {
    const job = readable(engine, version)
    return job ? job.starts.map((start) => ({ job, version: version.id, start })) : []
  })
}

function readable(engine: Engine, version: Parameters<typeof documentOf>[0] & { job: string }): Job | undefined {
  try {
    return documentOf(version)
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    engine.log.warn({ error, job: version.job }, 'a job cannot be read any more; nothing of it begins by itself')
    return undefined
  }
} // prettier-ignore

/** What decides the times of a start: where it is changed, times from then on count. */
const fingerprintOf = (start: Start, { slices }: Job): string => {
  const { parameters: _values, missed: _way, ...rest } = start
  return createHash('sha256').update(JSON.stringify([rest, isTimed(start) ? slices : null])).digest('hex').slice(0, 16)
} // prettier-ignore

/**
 * Brings the states of the starts of every environment up to the versions of the jobs that run there. One that is new or was
 * changed counts from now on: what it would have begun before is not made up for.
 */
export async function syncStarts(engine: Engine): Promise<void> {
  const environments = await engine.db.query.environment.findMany({ columns: { name: true } })
  const starts = await Promise.all(
    environments.map(async ({ name }) =>
      (await allStarts(engine, name)).map((one) => ({ ...one, environment: name })),
    ),
  )
  const rows = starts.flat().map(({ environment, job, version, start }) => ({
    environment,
    job: job.name,
    start: start.id,
    kind: startKind(start),
    version_id: version,
    fingerprint: fingerprintOf(start, job),
    timed: isTimed(start),
  }))
  await transaction(engine.db.$client, async (client) => {
    // of several servers one does it at a time
    await client.query(`select pg_advisory_xact_lock(hashtext('mattock.starts'))`)
    await client.query(
      `with wanted as (
         select w.* from jsonb_to_recordset($1::jsonb) w(environment text, job text, start text, kind text, version_id integer, fingerprint text, timed boolean)),
       gone as (
         delete from mattock.start_state s where not exists (
           select 1 from wanted w where w.environment = s.environment and w.job = s.job and w.start = s.start)),
       unseen as (
         delete from mattock.start_seen s where not exists (
           select 1 from wanted w join mattock.start_state k using (environment, job, start)
           where w.environment = s.environment and w.job = s.job and w.start = s.start and w.fingerprint = k.fingerprint))
       insert into mattock.start_state (environment, job, start, kind, version_id, fingerprint, since, next_at)
       select environment, job, start, kind, version_id, fingerprint, mattock.clock(), case when timed then mattock.clock() end from wanted
       on conflict (environment, job, start) do update set kind = excluded.kind, version_id = excluded.version_id, fingerprint = excluded.fingerprint,
         since = case when start_state.fingerprint = excluded.fingerprint then start_state.since else excluded.since end,
         next_at = case when start_state.fingerprint = excluded.fingerprint then start_state.next_at else excluded.next_at end
       where (start_state.version_id, start_state.fingerprint) is distinct from (excluded.version_id, excluded.fingerprint)`,
      [JSON.stringify(rows)],
    )
  })
}

/** Number of the newest version that was put anywhere: where it moved, there may be other starts. */
export async function newestVersion(client: pg.Pool): Promise<string> {
  const { rows } = await client.query<{ mark: string }>(
    `select (select coalesce(max(id), 0) from mattock.job_put) || ' ' || (select count(*) from mattock.environment) as mark`,
  )
  return rows[0]!.mark
}
