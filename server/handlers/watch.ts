import type { Engine } from '../../engine/context/engine'
import type { Handlers } from '../handler'
import { briefRuns, secondsLeft } from './runs'
import { documentOf, newestVersions } from '../../engine/jobs/versions'
import { changeText, type SchemaChange } from '../../core/catalog/compare'
import { newestDue } from '../../core/schedule/takes'
import { isLate } from '../../core/schedule/due'
import { lateRuns, startsNotBegun } from '../../engine/scheduling/trouble'
import { plannerOf } from '../planner'

const hour = 3_600_000
/** How far the morning sheet looks ahead. */
const ahead = 24 * hour

/** Failed loads of the last three days that no later run has done, grouped by job and cause. */
async function openFailures(engine: Engine, environment: string, since: string) {
  const { rows } = await engine.db.$client.query<{
    job: string
    title: string
    cause: string
    message: string
    advice: string
    count: number
    run: number
    latest: string
    keys: string[]
  }>(
    `select r.job, max(r.title) as title, l.cause, (array_agg(l.error ->> 'message' order by l.id desc))[1] as message,
       (array_agg(l.error ->> 'advice' order by l.id desc))[1] as advice, count(*) as count, max(r.id) as run, max(l.ended_at) as latest,
       (array_agg(l.key order by l.number))[1:3] as keys
     from mattock.load l join mattock.run r on r.id = l.run_id
     where r.environment = $1 and r.created_at >= $2 and l.state = 'failed'
       and not exists (select 1 from mattock.load d join mattock.run dr on dr.id = d.run_id
         where dr.environment = r.environment and dr.job = r.job and d.key = l.key and d.id > l.id and d.state in ('done', 'failed', 'held', 'running', 'waiting'))
     group by r.job, l.cause order by max(l.ended_at) desc`,
    [environment, since],
  )
  return rows
}

export const watchHandlers: Pick<Handlers, 'now' | 'morning'> = {
  now: async ({ engine, options }) => {
    const running = await briefRuns(engine, `r.state in ('running', 'held')`, [], 0, 5)
    const { rows } = await engine.db.$client.query<{
      count: number
      capacity: number
      busy: number
      idle: number
    }>(
      `select count(*)::int as count, coalesce(sum(capacity), 0)::int as capacity, coalesce(sum(b.n), 0)::int as busy, count(*) filter (where b.n = 0)::int as idle
       from mattock.worker w cross join lateral (select count(*) as n from mattock.load l where l.worker = w.id and l.state = 'running') b
       where w.beat_at > now() - interval '15 seconds'`,
    )
    return {
      runs: await Promise.all(
        running.map(async ({ id, title, environment, loads }) => ({
          id,
          title,
          environment,
          done: (loads.done ?? 0) + (loads.skipped ?? 0),
          running: loads.running ?? 0,
          failed: loads.failed ?? 0,
          total: Object.values(loads).reduce((sum, n) => sum + n, 0),
          left: await secondsLeft(engine, id),
        })),
      ),
      workers: rows[0]!,
      background: options.background(),
    }
  },
  morning: async (asked, { query }) => {
    const { engine } = asked
    const at = new Date()
    const until = new Date(at.getTime() + ahead).toISOString()
    const span = { environment: query.environment, from: at.toISOString(), until }
    const outlook = await plannerOf(asked, 'lookAhead', span)
    const other = outlook.foreseen.some(isLate)
      ? await plannerOf(asked, 'lookAhead', { ...span, workers: Math.max(1, outlook.workers) * 2 })
      : undefined
    const titles = new Map(outlook.jobs.map(({ job, title }) => [job, title]))
    const since = new Date(at.getTime() - 18 * hour).toISOString()
    const runs = await briefRuns(
      engine,
      'r.environment = $1 and coalesce(r.ended_at, now()) >= $2',
      [query.environment, since],
      0,
      1000,
    )
    const failures = await openFailures(
      engine,
      query.environment,
      new Date(at.getTime() - 72 * hour).toISOString(),
    )
    const decisions = [
      ...failures.map(({ title, job, count, message, advice, run, latest, keys }) => ({
        kind: 'failed' as const,
        title: `${title}: ${count === 1 ? keys[0] : `${count.toLocaleString('en')} loads`} failed${count === 1 ? '' : ' the same way'}`,
        text: `${message}; ${advice}`,
        count,
        run,
        job,
        connection: null,
        latest,
      })),
      ...runs
        .filter(({ unbalanced }) => unbalanced > 0)
        .map(({ id, title, job, unbalanced, startedAt, createdAt }) => ({
          kind: 'unbalanced' as const,
          title: `${title}, run ${id}: ${unbalanced} ${unbalanced === 1 ? 'load does' : 'loads do'} not balance`,
          text: 'rows were read that are neither written, unchanged, rejected, filtered nor merged',
          count: unbalanced,
          run: id,
          job,
          connection: null,
          latest: startedAt ?? createdAt,
        })),
      ...(await startsNotBegun(engine, query.environment)).map(
        ({ job, title, at: due, why, plan, count }) => ({
          kind: 'not-begun' as const,
          title: `${title} could not begin${count > 1 ? `, ${count} times` : ''}`,
          text: why,
          count,
          run: null,
          plan,
          job,
          connection: null,
          latest: due,
        }),
      ),
      ...lateRuns(outlook, other).map(({ run, by, kept }) => ({
        kind: 'late' as const,
        title: `${titles.get(run.job) ?? run.job} will likely be late by ${by}`,
        text:
          kept ??
          `more places at workers would not change that: it begins ${run.after.length > 0 ? 'when what it waits for is done' : 'at its time'}, and takes as long as it usually does`,
        count: 1,
        run: run.run,
        job: run.job,
        connection: null,
        latest: run.due!,
      })),
      ...(await notRun(engine, query.environment, at)),
      ...(await drift(engine, query.environment)),
    ]
    const jobs = new Map<string, { job: string; title: string; runs: typeof runs }>()
    for (const version of await newestVersions(engine))
      jobs.set(version.job, { job: version.job, title: documentOf(version).title, runs: [] })
    for (const run of runs) jobs.get(run.job)?.runs.push(run)
    const sum = (state: string) => runs.reduce((total, run) => total + (run.loads[state] ?? 0), 0)
    return {
      at: at.toISOString(),
      since,
      done: sum('done'),
      failed: sum('failed'),
      rejected: runs.reduce((total, { counts }) => total + counts.rejected, 0),
      decisions,
      until,
      jobs: [...jobs.values()].map(({ job, title, runs: list }) => ({
        job,
        title,
        foreseen: outlook.foreseen
          .filter((run) => run.job === job && run.run === null && !run.refused)
          .slice(0, 200)
          .map((run) => ({
            at: run.at,
            ends: run.ends,
            due: run.due,
            late: isLate(run),
            unknown: run.unknown,
          })),
        runs: list.map((run) => ({
          id: run.id,
          state: run.state,
          from: run.startedAt ?? run.createdAt,
          to: run.endedAt,
          rows: run.counts.written,
          failed: run.loads.failed ?? 0,
          loads: Object.values(run.loads).reduce((total, n) => total + n, 0),
        })),
      })),
    }
  },
}

/** Jobs whose newest slice that is over has no run, though they have run in this environment before. */
async function notRun(engine: Engine, environment: string, at: Date) {
  const closed = (await newestVersions(engine)).flatMap((version) => {
    const job = documentOf(version)
    const slice = newestDue(job, at.getTime())
    return slice ? [{ job, slice }] : []
  })
  const { rows } = await engine.db.$client.query<{ job: string }>(
    `select c.job from unnest($2::text[], $3::timestamptz[], $4::timestamptz[]) c(job, "from", "to")
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
  const missing = new Set(rows.map(({ job }) => job))
  return closed
    .filter(({ job }) => missing.has(job.name))
    .map(({ job, slice }) => ({
      kind: 'not-run' as const,
      title: `${job.title}: ${slice.label} is over and has not been loaded`,
      text: 'no run has taken this slice up yet',
      count: 1,
      run: null,
      job: job.name,
      connection: null,
      latest: slice.to,
    }))
}

/** Datasets whose source is not as it is known, one decision for each connection. */
async function drift(engine: Engine, environment: string) {
  const { rows } = await engine.db.$client.query<{
    connection: string
    count: number
    latest: string
    names: string[]
    waits: SchemaChange
  }>(
    `select connection, count(*)::int as count, max(surveyed_at) as latest, (array_agg(name order by name))[1:3] as names, (array_agg(waits order by name))[1] as waits
     from mattock.dataset where environment = $1 and waits is not null group by connection order by max(surveyed_at) desc`,
    [environment],
  )
  return rows.map(({ connection, count, latest, names, waits }) => ({
    kind: 'drift' as const,
    title:
      count === 1
        ? `${names[0]} is not as it is known`
        : `${connection}: ${count} datasets are not as they are known`,
    text: count === 1 ? changeText(waits) : `${names.join(', ')}${count > names.length ? ' and others' : ''}`,
    count,
    run: null,
    job: null,
    connection,
    latest,
  }))
}
