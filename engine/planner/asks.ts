import type { Engine } from '../context/engine'
import { effectOfEdits, effectOfText } from '../planning/effect'
import { makePlan, type PlanAsk } from '../planning/plan'
import { compareStored, forecastStored } from '../planning/views'

/** Work that would keep a server from answering others for seconds: it is done by the planner. */
export const plannerAsks = {
  makePlan: async (engine: Engine, ask: PlanAsk) => ({ id: (await makePlan(engine, ask)).id }),
  effectOfEdits,
  effectOfText,
  compareStored,
  forecastStored,
}

export type PlannerAsks = typeof plannerAsks
type Given<F> = F extends (engine: Engine, ...given: infer G) => unknown ? G : never

export interface Planner {
  ask<K extends keyof PlannerAsks>(
    kind: K,
    ...given: Given<PlannerAsks[K]>
  ): Promise<Awaited<ReturnType<PlannerAsks[K]>>>
  close(): void
}
