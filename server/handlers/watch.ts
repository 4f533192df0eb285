import { groupBy } from '../../core/group'
import { isLate } from '../../core/schedule/due'
import type { ArrivalsAsk } from '../../engine/arrivals/read'
import type { OutlookAsk } from '../../engine/scheduling/outlook'
import { titlesOfJobs } from '../../engine/jobs/versions'
import { clockNow } from '../../engine/context/clock'
import { controlRows } from '../../engine/running/controlRows'
import { ahead, gatherDecisions, recent } from '../../engine/watching/gather'
import { keepMatter, namesOfPeople, readMatters } from '../../engine/watching/matters'
import type { Handlers } from '../handler'
import { lookOf, plannerOf } from '../planner'
import { seesAll } from '../rows'
import { briefRuns, secondsLeft } from './runs'

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
    const at = new Date(await clockNow(engine))
    const until = new Date(at.getTime() + ahead).toISOString()
    const since = new Date(at.getTime() - recent).toISOString()
    const runs = await briefRuns(
      engine,
      'r.environment = $1 and coalesce(r.ended_at, mattock.clock()) >= $2',
      [query.environment, since],
      0,
      1000,
    )
    const asks = {
      lookAhead: (ask: OutlookAsk) => lookOf(asked, ask),
      readArrivals: (ask: ArrivalsAsk) => plannerOf(asked, 'readArrivals', ask),
    }
    const { decisions: found, outlook } = await gatherDecisions(
      engine,
      query.environment,
      at,
      query.ahead ? asks : undefined,
    )
    const foreseen = groupBy(
      (outlook?.foreseen ?? []).filter(({ run, refused }) => run === null && !refused),
      ({ job }) => job,
    )
    const matters = await readMatters(engine, query.environment, found.map(({ key }) => key)) // prettier-ignore
    const rows = seesAll(asked, query.environment)
      ? await controlRows(engine, found.flatMap(({ load }) => load ?? []))
      : undefined // prettier-ignore
    const decisions = found.map(({ cause: _cause, load, ...decision }) => {
      const { quietUntil = null, givenTo = null, notes = [] } = matters.get(decision.key) ?? {}
      return { ...decision, runs: [...(decision.runs ?? (decision.run === null ? [] : [decision.run]))], controls: (load !== undefined && rows?.get(load)) || [], quietUntil: quietUntil !== null && Date.parse(quietUntil) > at.getTime() ? quietUntil : null, givenTo, notes: [...notes] } // prettier-ignore
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
      ahead: outlook !== undefined,
      jobs: [...jobs.values()].map(({ job, title, runs: list }) => ({
        job,
        title,
        foreseen: (foreseen.get(job) ?? []).slice(0, 200).map((run) => ({
          at: run.at,
          ends: run.ends,
          due: run.due,
          late: isLate(run),
          unknown: run.unknown,
          stuck: run.stuck,
          givesUp: run.givesUp,
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
