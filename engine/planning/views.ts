import { desc, eq } from 'drizzle-orm'
import { comparePlans, loadChanges, type Comparison, type SlotChange } from '../../core/plan/compare'
import { forecast, type Caps, type Forecast } from '../../core/forecast/forecast'
import { capsOf, workloadOf } from '../../core/plan/workload'
import { plan as planTable } from '../../database/schema'
import { connectionFacts } from '../connectors/connections'
import type { Engine } from '../context/engine'
import { gatherHistory, workerPlaces } from './facts'
import { readComparable, readPlan } from './stored'

export type ChangeKind = 'added' | 'gone' | 'changed'

export interface ComparedPlans {
  readonly added: number
  readonly gone: number
  readonly changed: number
  readonly same: number
  readonly texts: Comparison['texts']
  /** One page of the changes of a kind. */
  readonly changes: readonly {
    readonly number: number
    readonly key: string
    readonly texts: readonly SlotChange[]
  }[]
}

const compared = new Map<
  string,
  Promise<{ comparison: Comparison; sides: Awaited<ReturnType<typeof sidesOf>> }>
>()

async function sidesOf(engine: Engine, before: number, after: number) {
  const [first, second] = [await readPlan(engine, before), await readPlan(engine, after)]
  return { before: await readComparable(engine, first), after: await readComparable(engine, second) }
}

/** Plans never change, so that the last comparison is kept for its other pages. */
function comparisonOf(engine: Engine, before: number, after: number) {
  const id = `${before}/${after}`
  let made = compared.get(id)
  if (!made) {
    compared.clear()
    made = sidesOf(engine, before, after).then((sides) => ({
      sides,
      comparison: comparePlans(sides.before, sides.after),
    }))
    made.catch(() => compared.delete(id))
    compared.set(id, made)
  }
  return made
}

/** What changed from one stored plan to another, with a page of the loads that did. */
export async function compareStored(
  engine: Engine,
  ask: {
    readonly before: number
    readonly after: number
    readonly kind: ChangeKind
    readonly offset: number
    readonly limit: number
  },
): Promise<ComparedPlans> {
  const { comparison, sides } = await comparisonOf(engine, ask.before, ask.after)
  const page = <T>(list: readonly T[]) => list.slice(ask.offset, ask.offset + ask.limit)
  const changes =
    ask.kind === 'changed'
      ? page(comparison.changed).map((pair) => ({
          number: pair.after,
          key: sides.after.loads[pair.after]!.key,
          texts: loadChanges(sides.before, sides.after, pair),
        }))
      : page(comparison[ask.kind]).map((number) => ({
          number,
          key: (ask.kind === 'added' ? sides.after : sides.before).loads[number]!.key,
          texts: [],
        }))
  const { added, gone, changed, same, texts } = comparison
  return { added: added.length, gone: gone.length, changed: changed.length, same, texts, changes }
}

/** Other plans of the same job, newest first. */
export async function otherPlans(engine: Engine, id: number) {
  const found = await readPlan(engine, id)
  const list = await engine.db
    .select({
      id: planTable.id,
      versionId: planTable.versionId,
      environment: planTable.environment,
      createdAt: planTable.createdAt,
      by: planTable.by,
      span: planTable.span,
      only: planTable.only,
      loads: planTable.loads,
    })
    .from(planTable)
    .where(eq(planTable.job, found.job))
    .orderBy(desc(planTable.id))
    .limit(30)
  return list.filter((plan) => plan.id !== id)
}

/** Caps that differ from those that hold now; what is left out stays. */
export interface OtherCaps {
  readonly atOnce?: number | undefined
  readonly workers?: number | undefined
  readonly connections?: Readonly<Record<string, number | null>> | undefined
}

export interface ForecastSheet {
  readonly caps: Caps
  /** Connections that the plan uses. */
  readonly used: readonly string[]
  readonly asIs: Forecast | null
  readonly others: readonly (Forecast | null)[]
}

/** A stored plan played through with the caps as they are, and with others. `atOnce` is for the parts with a roster. */
export async function forecastStored(
  engine: Engine,
  id: number,
  others: readonly OtherCaps[],
): Promise<ForecastSheet> {
  const plan = await readPlan(engine, id)
  const [stored, history, connections, workers] = await Promise.all([
    readComparable(engine, plan),
    gatherHistory(engine, plan.job, plan.environment),
    connectionFacts(engine, plan.environment),
    workerPlaces(engine),
  ])
  const work = workloadOf(stored, history)
  const caps = capsOf(stored, { connections, workers })
  const withOther = (other: OtherCaps): Caps => ({
    atOnce: Object.fromEntries(
      stored.parts.map((part) => [part.index, part.roster ? (other.atOnce ?? part.atOnce) : part.atOnce]),
    ),
    workers: other.workers ?? caps.workers,
    connections: { ...caps.connections, ...other.connections },
  })
  return {
    caps,
    used: [...new Set(work.connections.flat())].sort(),
    asIs: forecast(work, caps),
    others: others.map((other) => forecast(work, withOther(other))),
  }
}
