import { eq, sql } from 'drizzle-orm'
import type pg from 'pg'
import { fail } from '../../core/fault'
import { stopsFor } from '../../core/plan/plan'
import { numbering } from '../../core/plan/workload'
import { prepared } from '../../database/prepared'
import { jobVersion, plan as planTable, run as runTable } from '../../database/schema'
import { clockAhead } from '../context/clock'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { hasEnded } from '../../core/run/when'
import { partsAgain, stepsAgain, type RerunFrom } from '../../core/run/again'
import { partOrder, stepWaits } from '../../core/job/order'
import { activeSteps, type Job } from '../../core/job/document'
import { bringsTwice, stepKind, type StepKind } from '../../core/job/steps'
import type { RunState } from '../../core/runState'
import { documentOf } from '../jobs/versions'
import { readWaits } from '../waiting/lay'

export interface StartAsk {
  readonly plan: number
  readonly by: string
  readonly cause?: string
  /** Made up by whoever asks: asked again with the same, it is the same run. */
  readonly press?: string | undefined
  /** Run what was run before, knowingly. */
  readonly again?: boolean | undefined
  /** Milliseconds that the run's clock stands apart from the real one. */
  readonly clockOffset?: number
  /** Made for the demo's past: nothing begins after it. */
  readonly past?: boolean
  /** The load and its step that begin it: asked for again by the same, it is the same run. */
  readonly calledBy?: { readonly load: number; readonly step: string }
  /** The time of a start that begins it: asked for again by the same, it is the same run. */
  readonly occasion?: number
  /** Lower goes first; the demo's history lets live work pass. */
  readonly priority?: number
  /** Which slices go first: the oldest, as the plan has them, or the newest. */
  readonly order?: 'oldest' | 'newest' | undefined
  /** Loads of a part that run at the same time, where fewer than its job says are wanted. */
  readonly atOnce?: number | undefined
  /** A run that must be done before any of its loads begins. */
  readonly follows?: number | undefined
}

/** A plan with its job's text, and the loads that are left out. */
const planToRun = prepared((db) =>
  db
    .select({
      plan: planTable,
      text: jobVersion.text,
      left: sql<
        number[]
      >`array(select l.number from mattock.planned_load l where l.plan_id = ${planTable.id} and l."left")`,
    })
    .from(planTable)
    .innerJoin(jobVersion, eq(jobVersion.id, planTable.versionId))
    .where(eq(planTable.id, sql.placeholder('plan')))
    .prepare('plan to run'),
)

/**
 * Starts a run of a plan's loads, those left out excepted. The same press asked for twice is one run.
 * @throws FaultError `plan-stops` where a finding of level stop concerns a load that is to run,
 *   `no-loads` where none is left, `already-started` where the plan was run before and that is not what is asked for
 */
export async function startRun(engine: Engine, ask: StartAsk): Promise<number> {
  const [found] = await planToRun(engine.db).execute({ plan: ask.plan })
  if (!found) fail('unknown-name', `there is no plan ${ask.plan}`)
  const { plan, left } = found
  const stops = stopsFor(plan.findings, new Set(left))
  if (stops.length > 0)
    fail(
      'plan-stops',
      `${stops.length} ${stops.length === 1 ? 'finding stops' : 'findings stop'} the run: ${stops[0]!.message}`,
    )
  if (plan.loads === left.length)
    fail('no-loads', 'there is nothing to run: every load is left out, or the plan has none')
  return await insertRun(engine, plan, documentOf(found), ask, null, 'not p."left"', [])
}

/** What a rerun brings back, and where its loads begin. */
export interface RerunAsk extends Omit<StartAsk, 'plan'> {
  /** By their ids; where it is left out, those that did not get done, or, from a step, all of its part and of those behind it. */
  readonly loads?: readonly number[] | undefined
  /** Each begins at its first step where this is left out. */
  readonly from?: RerunFrom | undefined
  /** What is kept with the run, in the same transaction. */
  readonly alongside?: Alongside
}

type Alongside = (client: pg.ClientBase, run: number) => Promise<void>

/**
 * Runs loads again, in a new run of the same plan and version: those that failed, were stopped or skipped; with a step to
 * begin at, also those that were done.
 * @throws FaultError `no-loads` where there is none, `already-started` where one of them was run again before, `unknown-name`
 *   for a step that the job does not have, `still-running`
 */
export async function rerun(
  engine: Engine,
  runId: number,
  { loads, from, alongside, ...ask }: RerunAsk,
): Promise<number> {
  const { plan, which, values, carries, begins } = await whatAgain(engine, runId, loads, from)
  const cause = !carries && from && 'step' in from ? `${ask.cause ?? 'rerun'} from ${from.step}` : ask.cause
  const carry: Alongside = async (client, id) => {
    await client.query(
      'insert into mattock.mended (run_id, load_id, step, rows) select $1, load_id, step, rows from mattock.mended where run_id = $2',
      [id, runId],
    )
  }
  const [version] = await engine.db.select().from(jobVersion).where(eq(jobVersion.id, plan.versionId))
  return await insertRun(
    engine,
    plan,
    documentOf(version!),
    { ...ask, ...(cause === undefined ? {} : { cause }), plan: plan.id },
    { of: runId, from: begins, alongside: carries ? carry : alongside },
    which,
    values,
  )
}

/** The loads that a rerun brings back, as a condition on mattock.planned_load `p`; its values begin at $4, the run is $3. */
async function whatAgain(
  engine: Engine,
  runId: number,
  loads: readonly number[] | undefined,
  given: RerunFrom | undefined,
) {
  const [before] = await engine.db.select().from(runTable).where(eq(runTable.id, runId))
  if (!before) fail('unknown-name', `there is no run ${runId}`)
  const { rerunFrom } = before
  // a run that brought mended rows in brings those in again, and not what the job reads
  const carries = rerunFrom !== null && 'only' in rerunFrom && !(given && 'only' in given)
  const from: RerunFrom | undefined = carries ? { failed: true } : given
  // rows that a load rejected are brought in once it has ended, whatever the others do
  if (!hasEnded(before.state) && !(from && 'only' in from))
    fail('still-running', `run ${runId} still goes on; stop it first, or wait`)
  const [plan] = await engine.db.select().from(planTable).where(eq(planTable.id, before.planId))
  const values: unknown[] = []
  const tests: string[] = []
  if (loads) tests.push(`l.id = any ($${values.push(loads) + 3})`)
  if (from && 'step' in from) {
    const [version] = await engine.db.select().from(jobVersion).where(eq(jobVersion.id, before.versionId))
    const job = documentOf(version!)
    const parts = partsAgain(partOrder(job).waits, job.parts.map((part) => activeSteps(part).map(({ id }) => id)), from.step) // prettier-ignore
    if (parts.length === 0) fail('unknown-name', `${before.job} has no step ${from.step} that is turned on`)
    tests.push(`l.part = any ($${values.push(parts) + 3})`)
  }
  if (from && !('failed' in from)) tests.push(`l.state in ('done', 'failed', 'stopped', 'skipped')`)
  else tests.push(`l.state in ('failed', 'stopped', 'skipped')`)
  const which = `p.number in (select l.number from mattock.load l where l.run_id = $3 and ${tests.join(' and ')})`
  return { plan: plan!, which, values, carries, begins: carries ? rerunFrom : given }
}

/** A step as a rerun would deal with it. */
export interface StepOutlook {
  readonly step: string
  readonly kind: StepKind
  /** Loads in which it is kept as it was done. */
  readonly kept: number
  /** Loads in which it is done. */
  readonly again: number
  /** Of those, loads in which it was done before, and which would have its rows twice. */
  readonly twice: number
}

/** What a rerun would do, before it does it. @throws FaultError as `rerun` does */
export async function rerunOutlook(
  engine: Engine,
  runId: number,
  { loads, from }: Pick<RerunAsk, 'loads' | 'from'>,
): Promise<{ loads: number; steps: StepOutlook[] }> {
  const { plan, which, values, begins } = await whatAgain(engine, runId, loads, from)
  const [version] = await engine.db.select().from(jobVersion).where(eq(jobVersion.id, plan.versionId))
  const job = documentOf(version!)
  // loads whose steps ended alike are looked at together
  const { rows } = await engine.db.$client.query<{ part: number; done: number[]; loads: number }>(
    `select part, done, count(*)::int as loads from (
       select l.part, coalesce(array_agg(s.position order by s.position) filter (where s.state in ('done', 'held')), '{}') as done
       from mattock.planned_load p join mattock.load l on l.run_id = $3 and l.number = p.number left join mattock.load_step s on s.load_id = l.id
       where p.plan_id = $2 and $1::integer is null and ${which} group by l.id, l.part) l
     group by part, done order by part`,
    [null, plan.id, runId, ...values],
  )
  const steps = new Map<string, StepOutlook>()
  for (const { part, done, loads: count } of rows) {
    const all = activeSteps(job.parts[part]!)
    const ids = all.map(({ id }) => id)
    const was = ids.map((_id, at) => done.includes(at))
    const again = begins ? stepsAgain(stepWaits(job.parts[part]!), ids, was, begins) : ids.map(() => true)
    all.forEach((step, at) => {
      const before = steps.get(`${part} ${step.id}`) ?? { step: step.id, kind: stepKind(step), kept: 0, again: 0, twice: 0 }
      steps.set(`${part} ${step.id}`, {
        ...before,
        kept: before.kept + (again[at] ? 0 : count),
        again: before.again + (again[at] ? count : 0),
        twice: before.twice + (again[at] && was[at] && bringsTwice(step) ? count : 0),
      })
    }) // prettier-ignore
  }
  return { loads: rows.reduce((sum, row) => sum + row.loads, 0), steps: [...steps.values()] }
}

/** Loads of a plan up to which one way to read them is as good as another. */
const fewLoads = 500

async function insertRun(
  engine: Engine,
  plan: typeof planTable.$inferSelect,
  job: Job,
  ask: StartAsk,
  rerun: {
    readonly of: number
    readonly from: RerunFrom | undefined
    readonly alongside: Alongside | undefined
  } | null,
  which: string,
  values: readonly unknown[],
): Promise<number> {
  const rerunOf = rerun?.of ?? null
  const offset = ask.clockOffset ?? (await clockAhead(engine))
  const at = new Date(Date.now() + offset).toISOString()
  // rows that were mended come to what was loaded, and a past that is made anew has its order
  const waits =
    ask.past || (rerun?.from && 'only' in rerun.from)
      ? undefined
      : await readWaits(engine, job, plan, ask.follows)
  const inserted = transaction(engine.db.$client, async (client) => {
    // a time of a start is another server's only where its lease ran out: the index run_occasion lets one of them begin
    if (ask.occasion === undefined || ask.calledBy) {
      // of two who begin the same at once, the second sees what the first did
      await client.query('select pg_advisory_xact_lock(hashtextextended(k, 0)) from unnest($1::text[]) k', [
        sameAs(ask),
      ])
      const begun = await begunBefore(client, ask)
      if (begun !== undefined) return begun
    }
    // a plan that was made for a start is nobody else's
    if (!ask.again && ask.occasion === undefined) await refuseTwice(client, plan.id, rerunOf, which, values)
    // whoever begins or ends something holds all others up, so that it is done at the end where nothing must be known before
    const early = job.at_once_runs !== 'beside' || waits !== undefined
    if (early) await client.query('select mattock.lock_dispatch()')
    const state = await stateToBegin(client, job, plan.environment)
    const lanes = lanesOf(plan)
    // what says which loads has its values from $4 on
    const begin = (at: number) => `$${at + 3 + values.length}`
    const { rows } = await client.query<{ id: number; loads: number }>({
      // planned once for each connection; how many are read best depends on how many there are
      ...(rerunOf === null && plan.loads <= fewLoads ? { name: `begin a run ${ask.order ?? ''}` } : {}),
      text: `with begun as (
         insert into mattock.run (job, title, version_id, plan_id, environment, by, cause, rerun_of, priority, clock_offset, created_at, started_at, press, state, called_by_load, called_by_step, rerun_from, occasion_id, past)
         values (${begin(1)}, ${begin(2)}, ${begin(3)}, $2, ${begin(4)}, ${begin(5)}, ${begin(6)}, $3, ${begin(7)}, ${begin(8)}, ${begin(9)}, case when ${begin(11)} = 'running' then ${begin(9)}::timestamptz end, ${begin(10)}, ${begin(11)}, ${begin(12)}, ${begin(13)}, ${begin(14)}, ${begin(15)}, ${begin(16)}) returning id),
       made as (
         insert into mattock.load (run_id, number, part, each, key, row_key, slice_from, slice_to, slice_label, rank, lane, repeats)
         select begun.id, p.number, p.part, p."row" is not null, concat_ws(' · ', coalesce(r.key, p.title), s.label), r.key, s."from", s."to", s.label,
           ${ask.order === 'newest' ? 'coalesce((select max(x.slice) from mattock.plan_slice x where x.plan_id = p.plan_id and x.part = p.part) - s.slice, 0)' : '0'},
           ($1::jsonb ->> p.mark)::integer,
           (select b.id from mattock.load b where b.run_id = $3 and b.number = p.number)
         from begun cross join mattock.planned_load p
         left join mattock.plan_row r on r.plan_id = p.plan_id and r.part = p.part and r."row" = p."row"
         left join mattock.plan_slice s on s.plan_id = p.plan_id and s.part = p.part and s.slice = p.slice
         where p.plan_id = $2 and ${which} order by p.number returning 1)
       select begun.id, (select count(*)::integer from made) as loads from begun`,
      values: [
        JSON.stringify(lanes.ofMark),
        plan.id,
        rerunOf,
        ...values,
        plan.job,
        job.title,
        plan.versionId,
        plan.environment,
        ask.by,
        ask.cause ?? 'by hand',
        ask.priority ?? 0,
        offset,
        at,
        ask.press ?? null,
        state,
        ask.calledBy?.load ?? null,
        ask.calledBy?.step ?? null,
        rerun?.from ? JSON.stringify(rerun.from) : null,
        ask.occasion ?? null,
        ask.past ?? false,
      ],
    })
    const { id, loads } = rows[0]!
    if (loads === 0) fail('no-loads', 'there is nothing to run again: no load failed, was stopped or skipped')
    await waits?.lay(client, id)
    await insertParts(client, id, plan, job, {
      holds: !(rerun?.from && 'only' in rerun.from),
      atOnce: ask.atOnce,
      lanes: lanes.connections,
    })
    await rerun?.alongside?.(client, id)
    await client.query({
      name: `advance a run${early ? '' : ', alone'}`,
      text: `${early ? '' : 'with held as materialized (select mattock.lock_dispatch()) '}select mattock.advance_run($1::int), pg_notify('mattock', json_build_object('run', $1::int)::text)${early ? '' : ' from held'}`,
      values: [id],
    })
    return id
  })
  if (ask.occasion === undefined) return await inserted
  return await inserted.catch(async (error: unknown) => {
    // the other server's run may be what stands in the way
    const begun = await runOfOccasion(engine, ask.occasion!)
    if (!begun) throw error
    return begun.run
  })
}

/** The run that was begun at a time of a start, with its plan. */
export async function runOfOccasion(
  engine: Engine,
  occasion: number,
): Promise<{ run: number; plan: number } | undefined> {
  const { rows } = await engine.db.$client.query<{ run: number; plan: number }>(
    'select id as run, plan_id as plan from mattock.run where occasion_id = $1',
    [occasion],
  )
  return rows[0]
}

/** What is the same for all who ask for one run. */
const sameAs = ({ plan, calledBy }: StartAsk): string[] => [
  `mattock.plan ${plan}`,
  ...(calledBy ? [`mattock.called ${calledBy.load} ${calledBy.step}`] : []),
]

/** The run that was begun by the same press, or by the same step of a load. */
async function begunBefore(client: pg.ClientBase, { plan, press, calledBy }: StartAsk): Promise<number | undefined> {
  if (calledBy) return (await calledRun(client, calledBy))?.id
  if (press === undefined) return undefined
  const { rows } = await client.query<{ id: number }>('select id from mattock.run where plan_id = $1 and press = $2', [plan, press])
  return rows[0]?.id
} // prettier-ignore

/** A job may say that a second run of it waits for the first, or is refused. @throws FaultError `still-running` */
async function stateToBegin(
  client: pg.ClientBase,
  { name, at_once_runs }: Job,
  environment: string,
): Promise<'running' | 'waiting'> {
  if (at_once_runs === 'beside') return 'running'
  const { rows } = await client.query<{ id: number; by: string }>(
    `select id, by from mattock.run where job = $1 and environment = $2 and state in ('running', 'held', 'waiting') order by id limit 1`,
    [name, environment],
  )
  const [other] = rows
  if (!other) return 'running'
  if (at_once_runs === 'refuse')
    fail('still-running', `run ${other.id} of ${name} in ${environment}, begun by ${other.by}, goes on, and the job refuses a second one`, { run: other.id }) // prettier-ignore
  return 'waiting'
}

/** Sets of connections that loads use together, and which of them the loads of each mark use. */
function lanesOf({ marks }: typeof planTable.$inferSelect): { connections: string[][]; ofMark: number[] } {
  const lanes = numbering<string[]>()
  const ofMark = marks.map(({ connections }) => lanes.of(JSON.stringify(connections), () => [...connections]))
  if (lanes.list.length === 0) lanes.list.push([])
  return { connections: lanes.list, ofMark: ofMark.length > 0 ? ofMark : [0] }
}

/**
 * The parts of a run, with what each waits for, and the lanes of its loads; a part without loads is done when its turn
 * comes. `holds`: as the job says; else none stops for a look.
 */
async function insertParts(
  client: pg.ClientBase,
  run: number,
  plan: typeof planTable.$inferSelect,
  job: Job,
  { holds, atOnce = Infinity, lanes }: { holds: boolean; atOnce: number | undefined; lanes: readonly (readonly string[])[] },
): Promise<void> {
  const { waits } = partOrder(job)
  const parts = job.parts.map(({ id, when, hold }, part) => ({
    part,
    id: id ?? null,
    waits: waits[part]!,
    when,
    hold: hold && holds,
    at_once: Math.min(atOnce, plan.parts[part]?.atOnce ?? 1),
  }))
  await client.query({
    name: 'parts of a run',
    text: `with loads as materialized (
       select part, case when lane < 0 then -1 - lane else lane end as lane, count(*) as all, sum((lane >= 0)::int) as free from mattock.load where run_id = $1 group by 1, 2),
     lanes as (
       insert into mattock.run_lane (run_id, part, lane, connections, waiting)
       select $1, part, lane, array(select jsonb_array_elements_text($3::jsonb -> lane)), free from loads)
     insert into mattock.run_part (run_id, part, id, waits, "when", hold, at_once, waiting)
     select $1, p.part, p.id, p.waits, p."when", p.hold, p.at_once, (select coalesce(sum(l.all), 0) from loads l where l.part = p.part)
     from jsonb_to_recordset($2) as p (part integer, id text, waits integer[], "when" text, hold boolean, at_once integer)`,
    values: [run, JSON.stringify(parts), JSON.stringify(lanes)],
  })
} // prettier-ignore

/** The run that a step of a load began. */
export async function calledRun(
  client: Pick<pg.ClientBase, 'query'>,
  { load, step }: NonNullable<StartAsk['calledBy']>,
): Promise<{ id: number; job: string; state: RunState } | undefined> {
  const { rows } = await client.query<{ id: number; job: string; state: RunState }>(
    'select id, job, state from mattock.run where called_by_load = $1 and called_by_step = $2',
    [load, step],
  )
  return rows[0]
}

/** @throws FaultError `already-started` where a run has the loads already: of the plan, or, for a rerun, one that repeats them */
async function refuseTwice(
  client: pg.ClientBase,
  plan: number,
  rerunOf: number | null,
  which: string,
  values: readonly unknown[],
): Promise<void> {
  const { rows } = await client.query<{ id: number; by: string; loads: number }>(
    `select r.id, r.by, count(*) as loads from mattock.run r join mattock.load o on o.run_id = r.id
       join mattock.planned_load p on p.plan_id = $2 and p.number = o.number and ${which}
     where r.plan_id = $1 and r.rerun_of is not distinct from $3
     group by r.id order by r.id desc limit 1`,
    [plan, plan, rerunOf, ...values],
  )
  const [before] = rows
  if (!before) return
  const what = rerunOf === null ? `plan ${plan} was started` : `${before.loads === 1 ? 'one of these loads was' : `${before.loads} of these loads were`} run again` // prettier-ignore
  fail('already-started', `${what} as run ${before.id} by ${before.by}`, { run: before.id })
}
