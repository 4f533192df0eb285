import type pg from 'pg'
import type { ToTable } from '../../../core/job/steps/transfer'
import type { TargetTable } from '../../connectors/postgres/tables'
import type { StepContext } from '../../context/step'

/** What is staged, and where it goes. */
export interface Staged {
  readonly client: pg.ClientBase
  readonly table: TargetTable
  readonly columns: readonly string[]
  readonly spec: ToTable
  /** Rows that are in the stage. */
  readonly rows: number
}

export interface Applied {
  readonly written: number
  readonly unchanged: number
}

/** A way of putting staged rows into a table. core/job/writes/ has the other half. */
export interface Mode {
  /** Rows may go straight into the target, whose transaction is then the staging place. */
  readonly straight: boolean
  /** Makes the key hold within the stage; returns the rows that are left. */
  readonly settle?: (staged: Staged, context: StepContext) => Promise<number>
  readonly apply: (staged: Staged, context: StepContext) => Promise<Applied>
}
