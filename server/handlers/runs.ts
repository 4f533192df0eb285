import { textsOf } from '../../core/plan/texts'
import { eq, inArray, sql } from 'drizzle-orm'
import { countNames, type Counts } from '../../core/balance/balance'
import { fail } from '../../core/fault'
import { may } from '../../core/rights'
import { hasEnded } from '../../core/run/when'
import { groupBy } from '../../core/group'
import { activeSteps, allSteps, type Job, type Part } from '../../core/job/document'
import type { RunState } from '../../core/runState'
import {
  type CheckRecord,
  type StatementRecord,
  jobVersion,
  loadStep,
  plan as planTable,
  run as runTable,
} from '../../database/schema'
import type { Engine } from '../../engine/context/engine'
import { begunByStart, cameAfter } from '../../engine/scheduling/cameAfter'
import { documentOf } from '../../engine/jobs/versions'
import { rerun, rerunOutlook, startRun } from '../../engine/running/runs'
import { waitsOfLoad } from '../../engine/waiting/read'
import { readLoads } from '../../engine/planning/stored'
import type { Asked, Handlers } from '../handler'
import { plannerOf } from '../planner'
import { controlRows } from '../../engine/running/controlRows'
import { seesAll } from '../rows'

interface BriefRow {
  id: number
  job: string
  title: string
  environment: string
  version: number
  state: RunState
  by: string
  cause: string
  rerunOf: number | null
  span: string | null
  createdAt: string
  startedAt: string | null
  endedAt: string | null
  counts: Counts
  loads: Record<string, number> | null
  unbalanced: number
}

/** Runs with their loads counted by state; `where` and `values` pick them, newest first. */
export async function briefRuns(
  engine: Engine,
  where: string,
  values: readonly unknown[],
  offset = 0,
  limit = 1000,
) {
  const { rows } = await engine.db.$client.query<BriefRow>(
    `select r.id, r.job, r.title, r.environment, v.version, r.state, r.by, r.cause, r.rerun_of as "rerunOf", p.span,
       r.created_at as "createdAt", r.started_at as "startedAt", r.ended_at as "endedAt", c.*
     from (select * from mattock.run r where ${where} order by r.created_at desc, r.id desc offset ${Number(offset)} limit ${Number(limit)}) r
     join mattock.job_version v on v.id = r.version_id join mattock.plan p on p.id = r.plan_id
     cross join lateral (
       select json_build_object(${countNames.map((name) => `'${name}', coalesce(sum(p.${name}), 0)`).join(', ')}) as counts,
         coalesce(sum(unbalanced), 0)::int as unbalanced,
         jsonb_strip_nulls(jsonb_build_object('waiting', nullif(sum(waiting) filter (where p.state <> 'running'), 0), 'ready', nullif(sum(waiting) filter (where p.state = 'running'), 0),
           'running', nullif(sum(running), 0), 'held', nullif(sum(held), 0), 'done', nullif(sum(done), 0), 'failed', nullif(sum(failed), 0),
           'skipped', nullif(sum(skipped), 0), 'stopped', nullif(sum(stopped), 0))) as loads
       from mattock.run_part p where p.run_id = r.id) c
     order by r.created_at desc, r.id desc`,
    [...values],
  )
  return rows.map(({ loads, ...rest }) => ({ ...rest, loads: loads ?? {} }))
}

export async function briefRun(engine: Engine, id: number) {
  const [found] = await briefRuns(engine, 'r.id = $1', [id])
  return found ?? fail('unknown-name', `there is no run ${id}`)
}

/**
 * Seconds that are likely left: the loads still to run, at the pace of those that ended in the parts that are under way. By the
 * counts of the parts alone, since a live page asks again and again.
 */
export async function secondsLeft(engine: Engine, run: number): Promise<number | null> {
  const { rows } = await engine.db.$client.query<{ seconds: number | null }>(
    `select (sum(waiting + running) filter (where state not in ('done', 'failed', 'skipped', 'stopped'))
         * extract(epoch from mattock.run_now($1) - min(started_at) filter (where state = 'running'))
         / nullif(sum(done + failed) filter (where state = 'running'), 0))::float8 as seconds
     from mattock.run_part where run_id = $1`,
    [run],
  )
  const seconds = rows[0]?.seconds ?? null
  return seconds === null || seconds <= 0 ? null : seconds
}

/** The parts of a run, with how each stands. */
async function partsOf(engine: Engine, run: number, { parts }: Job) {
  const { rows } = await engine.db.$client.query(
    `select part, id, waits, "when", hold, state, passed, at_once as "atOnce", started_at as "startedAt", ended_at as "endedAt",
       waiting, running, held, done, failed, skipped, stopped from mattock.run_part where run_id = $1 order by part`,
    [run],
  )
  return rows.map((row: { part: number }) => ({
    ...row,
    title: partTitle(parts[row.part]!),
    steps: activeSteps(parts[row.part]!).map(({ id }) => id),
  }))
}

const partTitle = (part: Part): string =>
  part.title ?? part.id ?? allSteps(part)[0]?.title ?? allSteps(part)[0]?.id ?? ''

/** The load that began a run, with its run. */
async function callerOf(engine: Engine, load: number | null) {
  if (load === null) return null
  const { rows } = await engine.db.$client.query<{ run: number; load: number; job: string }>(
    'select r.id as run, l.id as load, r.job from mattock.load l join mattock.run r on r.id = l.run_id where l.id = $1',
    [load],
  )
  return rows[0] ?? null
}

/** Connections that loads of a run wait for since no worker that is there reaches them, with what they need. */
async function unreachedIn(engine: Engine, run: number) {
  const { rows } = await engine.db.$client.query<{ connection: string; needs: string[] }>(
    `select c.name as connection, c.needs from mattock.connection c
     where c.needs <> '{}' and exists (select from mattock.run_lane n where n.run_id = $1 and n.waiting > 0 and c.name = any (n.connections))
       and not exists (select from mattock.worker w where c.needs <@ w.tags and w.beat_at > clock_timestamp() - make_interval(secs => $2))
     order by c.name`,
    [run, engine.limits.silence / 1000],
  )
  return rows
}

/** Loads with one reason. */
interface CauseRow {
  cause: string
  message: string
  step: string | null
  advice: string
  loads: number[]
  count: number
  /** They went on all the same. */
  goesOn: boolean
}

/** A check that does not hold, as a cause. */
const checkCause = `'check ' || s.step || ': ' || (c ->> 'text')`

const brokenLike = (cause: string) =>
  `exists (select from mattock.load_step s, jsonb_array_elements(s.checks) c where s.load_id = l.id and s.broken > 0 and ${checkCause} = ${cause})`

/**
 * Checks that did not hold where the load went on. A run's loads have numbers that follow each other, so that the few steps
 * with such checks are looked for among those alone.
 */
async function brokenChecks(engine: Engine, run: number): Promise<CauseRow[]> {
  const { rows } = await engine.db.$client.query<CauseRow>(
    `select ${checkCause} as cause, s.step, (array_agg(c ->> 'why' order by l.number))[1] as message, (array_agg(c ->> 'advice' order by l.number))[1] as advice,
       (array_agg(l.number order by l.number))[1:500] as loads, count(*) as count, true as "goesOn"
     from mattock.load_step s join mattock.load l on l.id = s.load_id cross join lateral jsonb_array_elements(s.checks) c
     where s.broken > 0 and s.state in ('done', 'held') and l.run_id = $1 and not (c ->> 'holds')::boolean
       and s.load_id between (select id from mattock.load where run_id = $1 order by number limit 1)
         and (select id from mattock.load where run_id = $1 order by number desc limit 1)
     group by 1, 2 order by count(*) desc`,
    [run],
  )
  return rows
}

const orders = {
  started: 'l.started_at nulls last, l.number',
  failed: `l.state <> 'failed', l.started_at nulls last, l.number`,
  worker: 'l.worker nulls last, l.started_at nulls last, l.number',
  plan: 'l.number',
}

/** Everything that has no place of its own in the order of runs goes before these. */
const behindAll = 50

/** Plans that are run one after the other are all there, and of one environment: that of the first was looked at. */
async function holdTogether(engine: Engine, plans: readonly number[]): Promise<void> {
  if (plans.length === 1) return
  const { rows } = await engine.db.$client.query<{ id: number; environment: string }>(
    'select id, environment from mattock.plan where id = any ($1)',
    [plans],
  )
  const gone = plans.find((plan) => !rows.some(({ id }) => id === plan))
  if (gone !== undefined) fail('unknown-name', `there is no plan ${gone}`, { path: 'then' })
  if (new Set(rows.map(({ environment }) => environment)).size > 1)
    fail('request', 'plans that are run one after the other are of one environment', { path: 'then' })
}

/**
 * What runs in an environment is the version that was put there; another one is run by who might put it there.
 * @throws FaultError `forbidden`
 */
async function holdVersions({ engine, account }: Asked, plans: readonly number[]): Promise<void> {
  const { rows } = await engine.db.$client.query<{
    job: string
    environment: string
    version: number
    there: number | null
  }>(
    `select v.job, p.environment, v.version, (
       select w.version from mattock.job_put j join mattock.job_version w on w.id = j.version_id
       where j.environment = p.environment and j.job = v.job order by j.id desc limit 1) as there
     from mattock.plan p join mattock.job_version v on v.id = p.version_id where p.id = any ($1)`,
    [plans],
  )
  const other = rows.find(({ version, there }) => version !== there)
  if (!other || may(account, 'build', other.environment)) return
  const { job, environment, version, there } = other
  fail(
    'forbidden',
    `this plan is of version ${version} of ${job}, and ${there === null ? `no version is` : `version ${there} is what runs`} in ${environment}; plan again, or ask somebody who may put version ${version} there`,
  )
}

/** A load whose part is under way is ready: it begins as soon as there is a place. */
const shownState = `case when l.state = 'waiting' and l.lane >= 0 and exists (select 1 from mattock.run_part p where p.run_id = l.run_id and p.part = l.part and p.state = 'running') then 'ready' else l.state end`

/** A load as the lists show it. Times of its steps are milliseconds from the run's start. */
const loadColumns = `l.id, l.number, l.part, l.each, l.key, ${shownState} as state, l.attempt, l.worker, l.started_at as "startedAt", l.ended_at as "endedAt",
  ${countNames.map((name) => `l.${name}`).join(', ')}, l.error ->> 'message' as message, l.waits_for as "waitsFor",
  coalesce((select jsonb_agg(jsonb_build_object('step', s.step, 'state', s.state,
      'from', round(extract(epoch from s.started_at - r.started_at) * 1000),
      'to', round(extract(epoch from s.ended_at - r.started_at) * 1000)) order by s.position)
    from mattock.load_step s where s.load_id = l.id and (s.attempt = l.attempt or s.state in ('done', 'held'))), '[]') as steps`

export const runHandlers: Pick<
  Handlers,
  'startRun' | 'runs' | 'run' | 'runLoads' | 'runLoad' | 'loadWaits' | 'rerun' | 'planAnew' | 'rerunOutlook'
> = {
  startRun: async (asked, { body: { then: next = [], behind, ...body } }) => {
    const { engine, account } = asked
    await holdVersions(asked, [body.plan, ...next])
    await holdTogether(engine, [body.plan, ...next])
    const how = { by: account.name, atOnce: body.atOnce, ...(behind ? { priority: behindAll } : {}) }
    const run = await startRun(engine, { ...body, ...how })
    const then: number[] = []
    for (const [at, plan] of next.entries())
      then.push(
        await startRun(engine, {
          ...how,
          plan,
          follows: then.at(-1) ?? run,
          cause: `built on run ${run}`,
          again: body.again,
          // pressed twice, it is the same chain
          press: body.press === undefined ? undefined : `${body.press} ${at + 1}`,
        }),
      )
    return { run, ...(then.length > 0 ? { then } : {}) }
  },
  rerun: async ({ engine, account }, { params, body }) => ({
    run: await rerun(engine, params.id, {
      ...body,
      by: account.name,
      cause: `rerun of ${params.id}`,
    }),
  }),
  loadWaits: async ({ engine }, { params: { load } }) =>
    ((await waitsOfLoad(engine, load)) ?? fail('unknown-name', `load ${load} waits for nothing`)) as never,
  planAnew: async (asked, { params, body }) =>
    await plannerOf(asked, 'planAnew', { run: params.id, loads: body.loads, by: asked.account.name }),
  rerunOutlook: async ({ engine }, { params, body }) => await rerunOutlook(engine, params.id, body),
  runs: async ({ engine }, { query }) => {
    const values: unknown[] = []
    const tests = Object.entries({
      'r.job =': query.job,
      'r.environment =': query.environment,
      'r.state =': query.state,
      'r.created_at >=': query.since,
      'r.created_at <': query.until,
    })
      .filter(([, value]) => value)
      .map(([test, value]) => `${test} $${values.push(value)}`)
    const where = tests.join(' and ') || 'true'
    const { rows } = await engine.db.$client.query<{ total: number }>(
      `select count(*) as total from mattock.run r where ${where}`,
      values,
    )
    return { total: rows[0]!.total, runs: await briefRuns(engine, where, values, query.offset, query.limit) }
  },
  run: async ({ engine }, { params }) => {
    const brief = await briefRun(engine, params.id)
    const [joined] = await engine.db
      .select()
      .from(runTable)
      .innerJoin(jobVersion, eq(jobVersion.id, runTable.versionId))
      .where(eq(runTable.id, params.id))
    const found = joined?.run
    const { rows: causes } = await engine.db.$client.query<CauseRow>(
      `select cause, (array_agg(error ->> 'message' order by number))[1] as message, (array_agg(error ->> 'step' order by number))[1] as step,
         (array_agg(error ->> 'advice' order by number))[1] as advice, (array_agg(number order by number))[1:500] as loads, count(*) as count, false as "goesOn"
       from mattock.load where run_id = $1 and state in ('failed', 'skipped') and cause is not null group by cause, state order by state, count(*) desc`,
      [params.id],
    )
    return {
      ...brief,
      plan: found!.planId,
      calledBy: await callerOf(engine, found!.calledByLoad),
      begunBy: await begunByStart(engine, params.id),
      cameAfter: await cameAfter(engine, params.id),
      parts: (await partsOf(engine, params.id, documentOf(joined!.job_version))) as never,
      heldBy: found!.heldBy,
      unreached: hasEnded(brief.state as RunState) ? [] : await unreachedIn(engine, params.id),
      zone: documentOf(joined!.job_version).slices?.zone ?? null,
      stopping: found!.stopping && !hasEnded(found!.state),
      clockOffset: found!.clockOffset,
      left: brief.state === 'running' ? await secondsLeft(engine, params.id) : null,
      causes: [...causes, ...(await brokenChecks(engine, params.id))],
    }
  },
  runLoads: async ({ engine }, { params, query }) => {
    const values: unknown[] = [params.id]
    const tests = ['l.run_id = $1']
    if (query.state) tests.push(`${shownState} = $${values.push(query.state)}`)
    if (query.search) tests.push(`strpos(lower(l.key), lower($${values.push(query.search)})) > 0`)
    if (query.cause)
      tests.push(
        query.cause.startsWith('check ')
          ? brokenLike(`$${values.push(query.cause)}`)
          : `l.cause = $${values.push(query.cause)}`,
      )
    const where = tests.join(' and ')
    // all of them together are counted by their parts
    const { rows: counted } = await engine.db.$client.query<{ total: number }>(
      tests.length === 1
        ? 'select coalesce(sum(waiting + running + held + done + failed + skipped + stopped), 0)::int as total from mattock.run_part where run_id = $1'
        : `select count(*) as total from mattock.load l where ${where}`,
      values,
    )
    const { rows } = await engine.db.$client.query(
      `select ${loadColumns} from mattock.load l join mattock.run r on r.id = l.run_id where ${where}
       order by ${orders[query.order]} offset ${query.offset} limit ${query.limit}`,
      values,
    )
    return { total: counted[0]!.total, loads: rows }
  },
  runLoad: async (asked, { params }) => {
    const detail = await loadDetail(asked.engine, params.id, params.load)
    if (!(await seesRun(asked, params.id))) return { ...withoutRows(detail), controls: [] }
    return { ...detail, controls: (await controlRows(asked.engine, [params.load])).get(params.load) ?? [] }
  },
}

/** Does this account see the rows that a run worked on? */
export async function seesRun(asked: Pick<Asked, 'engine' | 'account'>, run: number): Promise<boolean> {
  const { environment } = await briefRun(asked.engine, run)
  return seesAll(asked, environment)
}

type Detail = Awaited<ReturnType<typeof loadDetail>>

const withoutSample = ({ rows: _, ...check }: CheckRecord): CheckRecord => check

const withoutBound = ({ values: _, ...statement }: StatementRecord): StatementRecord => statement

/** A load as who may only look sees it: what was done, and none of the values it was done with. */
export const withoutRows = (detail: Detail): Detail => ({
  ...detail,
  row: null,
  error: detail.error && { ...detail.error, rows: undefined },
  detail: detail.detail.map((step: Detail['detail'][number]) => ({
    ...step,
    statements: step.statements.map(withoutBound),
    checks: step.checks.map(withoutSample),
  })),
})

/** All that is known of a load. */
export async function loadDetail(engine: Engine, run: number, load: number) {
  const [found] = await loadDetails(engine, run, [load])
  return found ?? fail('unknown-name', `run ${run} has no load ${load}`)
}

/** All that is known of some loads of a run, in their order: a few questions, however many they are. */
export async function loadDetails(engine: Engine, run: number, ids: readonly number[]) {
  const { rows } = await engine.db.$client.query(
    `select ${loadColumns}, l.bytes, l.error, l.repeats, l.let_go as "letGo", l.slice_from, l.slice_to, l.slice_label
     from mattock.load l join mattock.run r on r.id = l.run_id where l.run_id = $1 and l.id = any ($2) order by l.number`,
    [run, ids],
  )
  if (rows.length === 0) return []
  const [about] = await engine.db
    .select({ id: planTable.id, parts: planTable.parts, marks: planTable.marks })
    .from(runTable)
    .innerJoin(planTable, eq(planTable.id, runTable.planId))
    .where(eq(runTable.id, run))
  const numbers = rows.map(({ number }: { number: number }) => number)
  const planned = new Map(
    (await readLoads(engine, about!, { where: sql`l.number = any (${sql.param(numbers)})` })).map((load) => [
      load.number,
      load,
    ]),
  )
  const steps = groupBy(
    await engine.db
      .select()
      .from(loadStep)
      .where(inArray(loadStep.loadId, [...ids]))
      .orderBy(loadStep.position),
    ({ loadId }) => String(loadId),
  )
  const { rows: begun } = await engine.db.$client.query<{ id: number; job: string; state: RunState; load: number; step: string }>(
    'select id, job, state, called_by_load as load, called_by_step as step from mattock.run where called_by_load = any ($1)',
    [ids],
  ) // prettier-ignore
  const { rows: attempts } = await engine.db.$client.query(
    `select load_id as load, attempt, worker, host, taken_at as "takenAt", ended_at as "endedAt", why from mattock.load_attempt where load_id = any ($1) order by attempt`,
    [ids],
  )
  const kept = await runsOfLoads(
    engine,
    [...steps.values()].flat().flatMap(({ keptFrom }) => keptFrom ?? []),
  )
  const called = new Map(begun.map(({ load, step, ...run }) => [`${load} ${step}`, run]))
  return rows.map(({ slice_from, slice_to, slice_label, ...rest }) => {
    const load = planned.get(rest.number)!
    const texts = textsOf(about!.parts[rest.part]!, load)
    return {
      ...rest,
      row: load.row && { ...load.row },
      slice: slice_from ? { from: slice_from, to: slice_to, label: slice_label ?? '' } : null,
      attempts: attempts.filter(({ load }) => load === rest.id).map(({ load: _, ...attempt }) => attempt),
      detail: (steps.get(String(rest.id)) ?? []).map((step) => ({
        ...stepDetail(step, texts),
        keptFrom:
          step.keptFrom === null ? null : { run: kept.get(step.keptFrom) ?? null, load: step.keptFrom },
        called: called.get(`${rest.id} ${step.step}`) ?? null,
      })),
    }
  })
}

/** In which run each load is. */
async function runsOfLoads(engine: Engine, loads: readonly number[]): Promise<Map<number, number>> {
  if (loads.length === 0) return new Map()
  const { rows } = await engine.db.$client.query<{ id: number; run: number }>(
    'select id, run_id as run from mattock.load where id = any ($1)',
    [loads],
  )
  return new Map(rows.map(({ id, run }) => [id, run]))
}

const stepDetail = (step: typeof loadStep.$inferSelect, texts: ReturnType<typeof textsOf>) => ({
  step: step.step,
  kind: step.kind,
  state: step.state,
  attempt: step.attempt,
  startedAt: step.startedAt,
  endedAt: step.endedAt,
  read: step.read,
  written: step.written,
  unchanged: step.unchanged,
  rejected: step.rejected,
  filtered: step.filtered,
  merged: step.merged,
  bytes: step.bytes,
  resolved: texts
    .filter(({ slot }) => slot.step === step.step)
    .map(({ slot, resolved }) => ({ path: slot.path, text: resolved?.text ?? '' })),
  statements: step.statements,
  files: step.files,
  checks: step.checks,
  rejectReasons: step.rejectReasons,
  hasRejects: step.rejectFile !== null,
  tries: step.tries,
  log: step.log,
})
