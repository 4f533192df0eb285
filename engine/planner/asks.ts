import { mappingSheet } from '../catalog/mapping'
import type { Engine } from '../context/engine'
import { previewRoster } from '../planning/previewRoster'
import { resolveLoad } from '../planning/resolve'
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
  previewRoster,
  mappingSheet,
  resolveLoad,
}

export type PlannerAsks = typeof plannerAsks
type Given<F> = F extends (engine: Engine, ...given: infer G) => unknown ? G : never

/** For whom something is worked out. */
export interface Asker {
  /** Of each, one thing is worked out at a time, so that nobody keeps the others waiting. */
  readonly person: string
  /** Nobody waits for it any more. */
  readonly signal?: AbortSignal
}

export interface Planner {
  /** @throws FaultError `planner` where it took too long or too much memory, `busy` where too much waits already */
  ask<K extends keyof PlannerAsks>(
    asker: Asker,
    kind: K,
    ...given: Given<PlannerAsks[K]>
  ): Promise<Awaited<ReturnType<PlannerAsks[K]>>>
  close(): void
}
