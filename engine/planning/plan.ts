import { controlsOf } from '../../core/job/rosters'
import { sourceId, type Gathered } from '../../core/roster/gathered'
import { didYouMean } from '../../core/expression/nearest'
import { fail } from '../../core/fault'
import type { Job } from '../../core/job/document'
import { expand } from '../../core/plan/expand/expand'
import { judge } from '../../core/plan/plan'
import type { Expansion, Facts, Plan, PlanPick, PlanRequest } from '../../core/plan/types'
import { newestClosed, slicesBetween, slicesInSpan, withRestated, type Slice } from '../../core/slice/slices'
import type { Row, Table } from '../../core/value'
import { prepared } from '../../database/prepared'
import { environment as environmentTable } from '../../database/schema'
import { clockNow } from '../context/clock'
import type { Engine } from '../context/engine'
import { insteadFiles } from '../arrivals/instead'
import { gatherFacts } from './facts'
import { documentOf, readVersion, versionIn, type JobVersion } from '../jobs/versions'
import { controlAsOf } from '../control/rows'
import { storePlan } from './storePlan'
import { gatherRosters } from './gather'
import type { PlanAsk } from './planAsk'

const environments = prepared((db) => db.select().from(environmentTable).prepare('environments'))

export async function readEnvironment(
  engine: Engine,
  name: string,
): Promise<{ name: string; values: Row; live: boolean }> {
  const all = await environments(engine.db).execute()
  const near = () =>
    didYouMean(
      name,
      all.map((one) => one.name),
    )
  return (
    all.find((one) => one.name === name) ?? fail('unknown-name', `there is no environment "${name}"${near()}`)
  )
}

/** @throws FaultError `slices` where the span cannot be read, or the job has no slices */
export function slicesFor(job: Job, span: string | undefined, now: string): Slice[] | undefined {
  if (!job.slices) {
    if (span) fail('slices', `job ${job.name} has no slices; leave the span out`, { job: job.name })
    return undefined
  }
  if (span) return slicesInSpan(job.slices, span)
  const newest = newestClosed(job.slices, now)
  return newest ? withRestated(job.slices, [newest]) : []
}

/** The slices that lie in what was picked, oldest first. @throws FaultError `slices` where none does */
function slicesOfPicks(job: Job, picks: readonly PlanPick[]): Slice[] {
  if (!job.slices) fail('slices', `job ${job.name} has no slices, so none can be picked`, { job: job.name })
  const slices = new Map<string, Slice>()
  for (const { from, to } of new Map(picks.map((pick) => [`${pick.from} ${pick.to}`, pick])).values())
    for (const slice of slicesBetween(job.slices, from, to)) slices.set(`${slice.from} ${slice.to}`, slice)
  if (slices.size === 0)
    fail('slices', `no whole slice of ${job.slices.every} lies in what was picked; slices of an earlier rule are loaded again by picking all of the time that the rule of now cuts`, { job: job.name })
  return [...slices.values()].sort((a, b) => Date.parse(a.from) - Date.parse(b.from))
} // prettier-ignore

/** What planning a document is asked with. */
export async function planRequest(
  engine: Engine,
  job: Job,
  ask: Pick<PlanAsk, 'environment' | 'parameters' | 'only' | 'span' | 'picks' | 'now'>,
): Promise<PlanRequest> {
  const now = ask.now ?? new Date(await clockNow(engine)).toISOString()
  return {
    job,
    environment: await readEnvironment(engine, ask.environment),
    parameters: ask.parameters,
    only: ask.only,
    picks: ask.picks,
    instead: await insteadFiles(engine, ask.environment, job),
    slices: ask.picks ? slicesOfPicks(job, ask.picks) : slicesFor(job, ask.span, now),
    now,
  }
}

/** Works out the plan of a document, whether saved or not, without changing anything. */
async function workOutPlan(engine: Engine, job: Job, ask: PlanAsk): Promise<{ plan: Plan; facts: Facts }> {
  const request = await planRequest(engine, job, ask)
  const given = ask.controlAt === undefined ? undefined : await controlsAt(engine, job, ask, ask.controlAt)
  const expansion = expand(request, await gatherRosters(engine, request, given))
  return await judgeExpansion(engine, expansion)
}

/** The control tables of a job's rosters as they were at a time. */
async function controlsAt(engine: Engine, job: Job, ask: PlanAsk, at: string): Promise<Gathered> {
  const tables = new Map<string, Table>()
  for (const name of controlsOf(job.parts))
    tables.set(sourceId({ kind: 'control', name }), await controlAsOf(engine, name, ask.environment, at))
  return tables
}

/** Finds out what the rules need to know, and judges. */
export async function judgeExpansion(
  engine: Engine,
  expansion: Expansion,
): Promise<{ plan: Plan; facts: Facts }> {
  const facts = await gatherFacts(engine, expansion)
  return { plan: judge(expansion, facts), facts }
}

/** The span of what was picked, in words: `2026-11-01/2026-11-05`, the start of its last slice its end. */
function spanOfLabels({ request: { slices } }: Plan): string | undefined {
  const [first, last] = [slices?.[0], slices?.at(-1)]
  return first && last ? (first === last ? first.label : `${first.label} … ${last.label}`) : undefined
}

/** Plans a version of a job and keeps the plan; of its loads those that `take` picks, and the others are left out of it. */
export async function makePlan(
  engine: Engine,
  ask: PlanAsk,
  take?: (plan: Plan) => ReadonlySet<number>,
): Promise<{ id: number; plan: Plan; version: JobVersion }> {
  const version =
    ask.version === undefined
      ? await versionIn(engine, ask.job, ask.environment)
      : await readVersion(engine, ask.job, ask.version)
  const { plan, facts } = await workOutPlan(engine, documentOf(version), ask)
  const { job, environment, by, only, span, picks } = ask
  const id = await storePlan(engine, plan, facts, {
    job,
    versionId: version.id,
    environment,
    by,
    only,
    span: picks ? spanOfLabels(plan) : span,
    picks,
    taken: take?.(plan),
  })
  return { id, plan, version }
}
