import type { Outcome, StepContext, TextOf } from '../context/step'

/** A place that a step touched, for the catalog and for what uses what. */
export interface Touch {
  readonly connection: string
  /** `schema.table`, the path of a file, the address of a service. */
  readonly locator: string
  readonly direction: 'read' | 'write'
  readonly rows: number
}

/** A kind of step: how it is done. core/job/steps/ has the other half. */
export interface StepRunner<Spec> {
  /**
   * Does it; returns what was done, which an earlier attempt may have recorded where it took effect then.
   * @throws StepFault, FaultError, or what a database says
   */
  readonly run: (context: StepContext, spec: Spec) => Promise<Outcome>
  /** The places it touched, once it took effect; the first that is written names its target. */
  readonly touches?: (spec: Spec, text: TextOf, outcome: Outcome) => Touch[]
}
