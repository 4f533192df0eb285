import { stepKind, type Step } from '../../core/job/steps'
import type { RunState } from '../../core/runState'
import type { FileRecord, LoadError, SetValue } from '../../database/schema'
import type { Counts } from '../../core/balance/balance'
import type { Engine } from '../context/engine'
import type { Outcome } from '../context/step'
import type { Started } from './started'

/** A step of a load as it was recorded. */
export interface StepRecord {
  readonly position: number
  readonly state: RunState
  readonly counts: Counts
  readonly bytes: number
  readonly files: readonly FileRecord[]
  readonly value: SetValue | undefined
  /** What it failed with. */
  readonly error?: Omit<LoadError, 'step'>
}

/**
 * The steps of a load that need not be done again: those that ended well, or hold for a look, in an attempt before this; where
 * it stopped to wait for a run, also those that failed.
 */
export async function stepsDone(engine: Engine, started: Started): Promise<StepRecord[]> {
  if (started.attempt === 1) return []
  const { rows } = await engine.db.$client.query<StepRecord>({
    name: 'mattock-steps-done',
    text: `select position, s.state, s.bytes, files, value, s.error, jsonb_build_object('read', s.read, 'written', s.written, 'unchanged', s.unchanged, 'rejected', s.rejected, 'filtered', s.filtered) as counts
           from mattock.load_step s join mattock.load l on l.id = s.load_id
           where load_id = $1 and (s.state in ('done', 'held') or s.state = 'failed' and s.attempt <= l.yielded) order by position`,
    values: [started.load_id],
  })
  return rows.map(({ error, ...rest }) => (error ? { ...rest, error } : rest))
}

/** Keeps what a step did, as long as the load is still this attempt's. */
export async function recordStep(
  engine: Engine,
  started: Started,
  position: number,
  step: Step,
  state: RunState,
  begun: Date,
  ended: Date | null,
  outcome: Outcome,
  error?: Omit<LoadError, 'step'>,
): Promise<void> {
  const { counts } = outcome
  await engine.db.$client.query({
    name: 'mattock-record-step',
    text: `insert into mattock.load_step (load_id, position, attempt, step, kind, state, started_at, ended_at, read, written, unchanged,
             rejected, filtered, bytes, statements, files, reject_reasons, reject_file, log, value, checks, broken, error)
           select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23
           where exists (select 1 from mattock.load where id = $1 and attempt = $3)
           on conflict (load_id, position) do update set attempt = excluded.attempt, state = excluded.state,
             started_at = case when mattock.load_step.state = 'running' then mattock.load_step.started_at else excluded.started_at end, ended_at = excluded.ended_at, read = excluded.read, written = excluded.written,
             unchanged = excluded.unchanged, rejected = excluded.rejected, filtered = excluded.filtered, bytes = excluded.bytes,
             statements = excluded.statements, files = excluded.files, reject_reasons = excluded.reject_reasons,
             reject_file = excluded.reject_file, log = excluded.log, value = excluded.value,
             checks = excluded.checks, broken = excluded.broken, error = excluded.error`,
    values: [
      started.load_id, position, started.attempt, step.id, stepKind(step), state, begun.toISOString(), ended?.toISOString() ?? null,
      counts.read, counts.written, counts.unchanged, counts.rejected, counts.filtered, outcome.bytes,
      JSON.stringify(outcome.statements), JSON.stringify(outcome.files), JSON.stringify(outcome.rejectReasons),
      outcome.rejectFile, JSON.stringify(outcome.log),
      outcome.value ? JSON.stringify(outcome.value) : null,
      JSON.stringify(outcome.checks), outcome.checks.filter(({ holds }) => !holds).length,
      error ? JSON.stringify(error) : null,
    ], // prettier-ignore
  })
}
