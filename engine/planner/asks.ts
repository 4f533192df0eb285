import { outlineOf } from '../../core/job/outline'
import { parseJob } from '../../core/job/parse'
import { sarifLog } from '../../core/plan/sarif'
import type { Finding } from '../../core/plan/types'
import { playOver } from '../alerts/log'
import { readArrivals } from '../arrivals/read'
import { mappingSheet } from '../catalog/mapping'
import type { Engine } from '../context/engine'
import { readCoverage } from '../coverage/coverage'
import { bringInJobs, checkDocuments } from '../jobs/bringIn'
import { saveJob } from '../jobs/versions'
import { planAnew } from '../planning/anew'
import { previewRoster } from '../planning/previewRoster'
import { resolveLoad } from '../planning/resolve'
import { effectOfEdits, effectOfText } from '../planning/effect'
import { makePlan } from '../planning/plan'
import type { PlanAsk } from '../planning/planAsk'
import { compareStored, forecastStored } from '../planning/views'
import { lookAhead } from '../scheduling/outlook'
import { previewStarts } from '../scheduling/preview'
import { startTry } from '../trying/try'

/** Work that would keep a server from answering others for seconds: it is done by the planner. */
export const plannerAsks = {
  makePlan: async (engine: Engine, ask: PlanAsk) => ({ id: (await makePlan(engine, ask)).id }),
  planAnew,
  effectOfEdits,
  effectOfText,
  compareStored,
  forecastStored,
  lookAhead,
  readArrivals,
  readCoverage,
  previewStarts,
  playOver,
  previewRoster,
  mappingSheet,
  resolveLoad,
  startTry,
  checkDocuments,
  bringInJobs,
  saveJob: async (engine: Engine, ...given: Rest<typeof saveJob>) => {
    const { version } = await saveJob(engine, ...given)
    return { version }
  },
  /** What a text says, as an outline, and what is wrong with it. */
  readText: (_engine: Engine, text: string) => {
    const { job, faults, place } = parseJob(text)
    return Promise.resolve({ outline: job ? outlineOf(job, place) : null, faults })
  },
  /** Findings as SARIF, held against the lines of the job's text. */
  sarifOf: (_engine: Engine, job: string, findings: readonly Finding[], text: string) =>
    Promise.resolve(sarifLog(findings, parseJob(text), `jobs/${job}.yaml`)),
}

/** What changes something: it comes to its end though its page is left. */
export const savingAsks: ReadonlySet<keyof typeof plannerAsks> = new Set([
  'saveJob',
  'planAnew',
  'bringInJobs',
  'startTry',
])

type Rest<F> = F extends (engine: Engine, ...given: infer G) => unknown ? G : never

/** What takes moments: nobody waits for it behind a plan of their own. */
export const lightAsks: ReadonlySet<keyof typeof plannerAsks> = new Set([
  'readText',
  'saveJob',
  'resolveLoad',
  'previewStarts',
])

export type PlannerAsks = typeof plannerAsks
type Given<F> = Rest<F>

/** For whom something is worked out. */
export interface Asker {
  /** Of each, one thing is worked out at a time, so that nobody keeps the others waiting. */
  readonly person: string
  /** Nobody waits for it any more. */
  readonly signal?: AbortSignal
  /** It waits for its turn as long as that takes: no person stands before it. */
  readonly patient?: boolean
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
