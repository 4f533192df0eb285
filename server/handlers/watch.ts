import { isLate } from '../../core/schedule/due'
import { titlesOfJobs } from '../../engine/jobs/versions'
import { lateRuns, startsNotBegun } from '../../engine/scheduling/trouble'
import type { Decision } from '../../engine/watching/decision'
import { drift } from '../../engine/watching/drift'
import { filesOverdue } from '../../engine/watching/files'
import { openFailures } from '../../engine/watching/failures'
import { keepMatter, namesOfPeople, readMatters } from '../../engine/watching/matters'
import { notRun, unreadable } from '../../engine/watching/notRun'
import { silence } from '../../engine/watching/silence'
import { stuckLoads } from '../../engine/watching/stuck'
import type { Handlers } from '../handler'
import { plannerOf } from '../planner'
import { briefRuns, secondsLeft } from './runs'

const hour = 3_600_000
/** How far the morning sheet looks ahead. */
const ahead = 24 * hour

export const watchHandlers: Pick<Handlers, 'now' | 'morning' | 'keepMatter'> = {
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
  keepMatter: async ({ engine, account }, { body }) => {
    await keepMatter(engine, { ...body, by: account.name })
    return {}
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
    const found: Decision[] = [
      ...(await openFailures(engine, query.environment, new Date(at.getTime() - 72 * hour).toISOString())),
      ...runs
        .filter(({ unbalanced }) => unbalanced > 0)
        .map(({ id, title, job, unbalanced, startedAt, createdAt }) => ({
          kind: 'unbalanced' as const,
          key: `unbalanced ${id}`,
          title: `${title}, run ${id}: ${unbalanced} ${unbalanced === 1 ? 'load does' : 'loads do'} not balance`,
          text: 'rows were read that are neither written, unchanged, rejected, filtered nor merged',
          count: unbalanced,
          run: id,
          job,
          connection: null,
          latest: startedAt ?? createdAt,
        })),
      ...filesOverdue(
        await plannerOf(asked, 'readArrivals', {
          environment: query.environment,
          from: since,
          until,
          newestOnly: true,
        }),
      ),
      ...(await stuckLoads(engine, query.environment)),
      ...(await startsNotBegun(engine, query.environment)).map(
        ({ job, title, at: due, why, plan, count }) => ({
          kind: 'not-begun' as const,
          key: `not-begun ${job}`,
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
      ...(await unreadable(engine)),
      ...lateRuns(outlook, other).map(({ run, by, kept }) => ({
        kind: 'late' as const,
        key: `late ${run.job} ${run.due}`,
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
      ...(await silence(engine, query.environment, since)),
      ...(await drift(engine, query.environment)),
    ]
    const matters = await readMatters(engine, query.environment, found.map(({ key }) => key)) // prettier-ignore
    const decisions = found.map((decision) => {
      const { quietUntil = null, givenTo = null, notes = [] } = matters.get(decision.key) ?? {}
      return { ...decision, quietUntil: quietUntil !== null && Date.parse(quietUntil) > Date.now() ? quietUntil : null, givenTo, notes: [...notes] } // prettier-ignore
    })
    const jobs = new Map<string, { job: string; title: string; runs: typeof runs }>()
    for (const { job, title } of await titlesOfJobs(engine)) jobs.set(job, { job, title, runs: [] })
    for (const run of runs) jobs.get(run.job)?.runs.push(run)
    const sum = (state: string) => runs.reduce((total, run) => total + (run.loads[state] ?? 0), 0)
    return {
      at: at.toISOString(),
      since,
      done: sum('done'),
      failed: sum('failed'),
      rejected: runs.reduce((total, { counts }) => total + counts.rejected, 0),
      decisions,
      people: await namesOfPeople(engine),
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
