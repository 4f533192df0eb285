import { eq } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { partName, type Job } from '../../core/job/document'
import type { Plan, PlannedLoad, PlanPick } from '../../core/plan/types'
import { jobVersion, plan as planTable, run as runTable } from '../../database/schema'
import type { Engine } from '../context/engine'
import { documentOf, versionIn } from '../jobs/versions'
import { makePlan } from './plan'

export interface AnewAsk {
  readonly run: number
  /** Ids of its loads; those that did not get done where it is left out. */
  readonly loads?: readonly number[] | undefined
  readonly by: string
}

/** What was planned for one row and slice. */
interface Planned {
  readonly part: number
  /** Null in a part that runs once. */
  readonly row: string | null
  /** ISO 8601 instants. */
  readonly from: string | null
  readonly to: string | null
  readonly key: string
}

/**
 * Plans what a run did not get done once more, by the newest version of its job and the rows and files of now: a plan of
 * all that its job has for those slices, in which everything else is left out.
 * @returns the plan, and keys of loads of the run that it does not have
 * @throws FaultError `request` where nothing is to be done again, and what making the plan throws
 */
export async function planAnew(engine: Engine, { run, loads, by }: AnewAsk): Promise<{ id: number; loads: number; missing: string[] }> {
  const [before] = await engine.db
    .select({ job: runTable.job, environment: runTable.environment, plan: runTable.planId, parameters: planTable.parameters, text: jobVersion.text })
    .from(runTable)
    .innerJoin(planTable, eq(planTable.id, runTable.planId))
    .innerJoin(jobVersion, eq(jobVersion.id, runTable.versionId))
    .where(eq(runTable.id, run))
  if (!before) fail('unknown-name', `there is no run ${run}`)
  const again = await plannedLoads(
    engine,
    before.plan,
    `l.number in (select number from mattock.load where run_id = $2 and ${loads ? 'id = any ($3)' : `state in ('failed', 'stopped', 'skipped')`})`,
    loads ? [run, loads] : [run],
  )
  if (again.length === 0) fail('request', loads ? `none of these loads is of run ${run}` : `all loads of run ${run} are done, or still go on`, { run })
  const version = await versionIn(engine, before.job, before.environment)
  const [was, is] = [documentOf(before), documentOf(version)]
  const wanted = new Map(again.map((load) => [placeOf(was, load), load.key]))
  const picks = is.slices ? picksOf(was, again) : []
  const kept = new Set<number>()
  const ask = { job: before.job, version: version.version, environment: before.environment, parameters: before.parameters, ...(picks.length > 0 ? { picks } : {}), by }
  const { id } = await makePlan(engine, ask, (plan) => {
    for (const [number, load] of plan.loads.entries()) if (wanted.delete(placeOf(is, inPlan(plan, load)))) kept.add(number)
    return kept
  })
  return { id, loads: kept.size, missing: [...wanted.values()] }
} // prettier-ignore

/** A load of a plan that is made, as one of a plan that was kept is looked up. */
function inPlan(
  { parts }: Plan,
  { part, row, slice }: PlannedLoad,
): Pick<Planned, 'part' | 'row' | 'from' | 'to'> {
  const { roster, slices } = parts[part]!
  const own = slice < 0 ? undefined : slices![slice]!
  return { part, row: row < 0 ? null : roster!.rows[row]!.key, from: own?.from ?? null, to: own?.to ?? null }
}

/** What tells a load from the others of its job, in whichever version; a part that runs once has one, whatever it is called. */
const placeOf = (job: Job, { part, row, from, to }: Pick<Planned, 'part' | 'row' | 'from' | 'to'>): string =>
  JSON.stringify([
    job.parts[part] && partName(job.parts[part], part),
    row,
    from && Date.parse(from),
    to && Date.parse(to),
  ])

const picksOf = (job: Job, loads: readonly Planned[]): PlanPick[] =>
  loads.flatMap(({ part, row, from, to }) =>
    row === null || from === null || to === null
      ? []
      : { part: partName(job.parts[part]!, part), row, from, to },
  )

async function plannedLoads(engine: Engine, plan: number, where: string, values: readonly unknown[]): Promise<Planned[]> {
  const { rows } = await engine.db.$client.query<Planned>(
    `select l.part, r.key as row, s."from", s."to", concat_ws(' · ', coalesce(r.key, l.title), s.label) as key
     from mattock.planned_load l
     left join mattock.plan_row r on r.plan_id = l.plan_id and r.part = l.part and r."row" = l."row"
     left join mattock.plan_slice s on s.plan_id = l.plan_id and s.part = l.part and s.slice = l.slice
     where l.plan_id = $1 and ${where} order by l.number`,
    [plan, ...values],
  )
  return rows
} // prettier-ignore
