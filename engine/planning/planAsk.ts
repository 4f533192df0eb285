import type { PlanPick } from '../../core/plan/types'
import type { Row } from '../../core/value'

/** What a plan is asked with. */
export interface PlanAsk {
  readonly job: string
  /** The newest version where it is not given. */
  readonly version?: number | undefined
  /** ISO 8601 instant: control tables as they were then. */
  readonly controlAt?: string | undefined
  readonly environment: string
  readonly parameters: Row
  readonly only?: string | undefined
  /** `FROM/TO` or a single start; the newest closed slice where it is not given. */
  readonly span?: string | undefined
  /** Stretches of rows in place of a span. */
  readonly picks?: readonly PlanPick[] | undefined
  readonly by: string
  /** ISO 8601 instant that counts as now; the demo's history sets it. */
  readonly now?: string
}
