import type pg from 'pg'
import type { ToTable } from '../../core/job/steps/transfer'
import type { Checked } from '../checks/definition'
import type { StepContext } from '../context/step'

/** The staged rows as checks see them. */
export const stagedRows = (client: pg.ClientBase, { into }: ToTable, { outcome }: StepContext): Checked => ({
  client,
  table: 'mattock_stage',
  said: 'what was read',
  outcome,
  on: into.connection,
})
