import { controlsOf } from '../../core/job/rosters'
import { sourceId, type Gathered } from '../../core/roster/gathered'
import { applyEdits, type ControlEdit } from '../../core/control/edits'
import { FaultError } from '../../core/fault'
import type { Job } from '../../core/job/document'
import { parseJob } from '../../core/job/parse'
import { effectOf, type Effect } from '../../core/plan/effect'
import { sliceChange, type SliceChange } from '../../core/slice/change'
import type { SliceSpec } from '../../core/slice/spec'
import { expand } from '../../core/plan/expand/expand'
import { noFacts } from '../../core/plan/noFacts'
import { judgeOnly } from '../../core/plan/plan'
import type { Facts, Plan, PlanRequest } from '../../core/plan/types'
import type { Row } from '../../core/value'
import { connectionFacts } from '../connectors/connections'
import { clockNow } from '../context/clock'
import type { Engine } from '../context/engine'
import { readControl } from '../control/rows'
import { DocumentError, documentOf, readVersion, versionsIn } from '../jobs/versions'
import { planRequest } from './plan'
import { gatherRosters } from './gather'

/** What a change does to one job; `fault` says why it cannot be told. */
export interface JobEffect {
  readonly job: string
  readonly title: string
  /** The slices that were compared, in words; null where the job has none. */
  readonly slices: string | null
  readonly effect: Effect | null
  readonly fault: string | null
  /** What a changed rule for slices makes of those that were loaded; null where it is the same. */
  readonly cut: SliceChange | null
}

/**
 * What edits of a control table will do, before they are saved: every job that reads it is planned as it is and as it
 * will be, for its newest closed slice, and the two are compared. Files are not looked at.
 */
export async function effectOfEdits(
  engine: Engine,
  name: string,
  environment: string,
  edits: readonly ControlEdit[],
): Promise<JobEffect[]> {
  const table = await readControl(engine, name, environment)
  const id = sourceId({ kind: 'control', name })
  const now: Gathered = new Map([[id, table]])
  const then: Gathered = new Map([[id, applyEdits(table, edits)]])
  const facts = noFacts({ connections: await connectionFacts(engine, environment) })
  const effects: JobEffect[] = []
  for (const version of await versionsIn(engine, environment)) {
    const job = documentOf(version)
    if (!controlsOf(job.parts).has(name)) continue
    effects.push(
      await effectOn(job, async () => {
        const request = await planRequest(engine, job, { environment, parameters: {} })
        return [await quickPlan(engine, request, now, facts), await quickPlan(engine, request, then, facts)]
      }),
    )
  }
  return effects
}

/**
 * What a document will do in the place of the newest version, before it is saved.
 * @throws DocumentError where it cannot be read
 */
export async function effectOfText(
  engine: Engine,
  ask: {
    readonly job: string
    readonly text: string
    readonly environment: string
    readonly parameters: Row
  },
): Promise<JobEffect> {
  const { job: after, faults } = parseJob(ask.text)
  if (!after) throw new DocumentError(faults)
  const before = documentOf(await readVersion(engine, ask.job))
  const facts = noFacts({ connections: await connectionFacts(engine, ask.environment) })
  const cut = await sliceChangeOf(engine, before, after, ask.environment)
  const effect = await effectOn(after, async () => {
    const plans: Plan[] = []
    for (const job of [before, after]) {
      const request = await planRequest(engine, job, {
        environment: ask.environment,
        parameters: ask.parameters,
      })
      plans.push(await quickPlan(engine, request, new Map(), facts))
    }
    return plans as [Plan, Plan]
  })
  return { ...effect, cut }
}

/** What becomes of the slices that were loaded, where a text cuts them by another rule; null where it does not, or cannot be read. */
async function sliceChangeOf(engine: Engine, before: Job, { name, slices }: Job, environment: string): Promise<SliceChange | null> {
  if (!slices || !before.slices || sameCut(before.slices, slices)) return null
  const { rows } = await engine.db.$client.query<{ from: string; to: string }>(
    `select distinct s."from", s."to" from mattock.run r join mattock.plan_slice s on s.plan_id = r.plan_id
     where r.job = $1 and r.environment = $2 and r.state in ('done', 'failed') order by 1, 2`,
    [name, environment],
  )
  const now = await clockNow(engine)
  try {
    return sliceChange(rows, slices, new Date(now).toISOString())
  } catch (error) {
    if (error instanceof FaultError) return null
    throw error
  }
} // prettier-ignore

/** Grace and what is restated cut nothing. */
function sameCut(one: SliceSpec, other: SliceSpec): boolean {
  const of = ({ every, zone, from, until, offset }: SliceSpec) =>
    JSON.stringify([every, zone, from, until, offset])
  return of(one) === of(other)
}

async function effectOn(job: Job, plans: () => Promise<[Plan, Plan]>): Promise<JobEffect> {
  const about = { job: job.name, title: job.title }
  try {
    const [before, after] = await plans()
    const slices = after.request.slices?.map(({ label }) => label).join(', ') ?? null
    return { ...about, slices, effect: effectOf(before, after), fault: null, cut: null }
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    return { ...about, slices: null, effect: null, fault: error.fault.message, cut: null }
  }
}

async function quickPlan(engine: Engine, request: PlanRequest, given: Gathered, facts: Facts): Promise<Plan> {
  return judgeOnly(expand(request, await gatherRosters(engine, request, given)), facts)
}
