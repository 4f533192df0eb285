import { stepKind, type Step } from '../../core/job/steps'
import { stepsAgain, type RerunFrom } from '../../core/run/again'
import type { Order } from '../../core/run/order'
import type { RunState } from '../../core/runState'
import { fail } from '../../core/fault'
import type { FileRecord, LoadError, ReadAs, SetValue } from '../../database/schema'
import { countNames, type Counts } from '../../core/balance/balance'
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
  /** It was done in an earlier run, whose record this is. */
  readonly kept: boolean
}

/**
 * Keeps what a rerun from a step need not do again: the record that the load has of it which this one repeats, under this
 * one's name, so that later steps see it.
 */
export async function keepSteps(
  engine: Engine,
  started: Started,
  waits: Order['waits'],
  ids: readonly string[],
  from: RerunFrom,
): Promise<void> {
  const { rows } = await engine.db.$client.query<{ position: number }>(
    `select position from mattock.load_step where load_id = $1 and state in ('done', 'held')`,
    [started.repeats],
  )
  const done = ids.map((_id, at) => rows.some(({ position }) => position === at))
  const kept = stepsAgain(waits, ids, done, from).flatMap((again, at) => (again || !done[at] ? [] : [at]))
  if (kept.length === 0) return
  await engine.db.$client.query(
    `insert into mattock.load_step (load_id, attempt, state, kept_from, ${keptColumns})
     select $1, $2, 'done', coalesce(kept_from, load_id), ${keptColumns}
     from mattock.load_step where load_id = $3 and position = any ($4) on conflict do nothing`,
    [started.load_id, started.attempt, started.repeats, kept],
  )
}

const keptColumns = `position, step, kind, started_at, ended_at, bytes, statements, files, reject_reasons, log, value, checks, broken, written_in, ${countNames.join(', ')}`

/** How the rows were read that a step of a load rejected. @throws FaultError where that is not kept */
export async function readAsOf(engine: Engine, load: number, step: string): Promise<ReadAs> {
  const { rows } = await engine.db.$client.query<{ readAs: ReadAs | null }>(
    'select read_as as "readAs" from mattock.load_step where load_id = $1 and step = $2',
    [load, step],
  )
  return rows[0]?.readAs ?? fail('unknown-name', `how the rows of ${step} were read is not kept any more`)
}

/**
 * The steps of a load that need not be done again: those that ended well, or hold for a look, in an attempt before this; where
 * it stopped to wait for a run, also those that failed.
 */
export async function stepsDone(engine: Engine, started: Started, rerun: boolean): Promise<StepRecord[]> {
  if (started.attempt === 1 && !rerun) return []
  const { rows } = await engine.db.$client.query<StepRecord>({
    name: 'mattock-steps-done',
    text: `select position, s.state, s.bytes, files, value, s.error, s.kept_from is not null as kept, jsonb_build_object(${countNames.map((name) => `'${name}', s.${name}`).join(', ')}) as counts
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
             rejected, filtered, merged, bytes, statements, files, reject_reasons, reject_file, log, value, checks, broken, error, tries, written_in, read_as)
           select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20, $21, $22, $23, $24, $25, $26, $27
           where exists (select 1 from mattock.load where id = $1 and attempt = $3)
           on conflict (load_id, position) do update set attempt = excluded.attempt, state = excluded.state,
             started_at = case when mattock.load_step.state = 'running' then mattock.load_step.started_at else excluded.started_at end, ended_at = excluded.ended_at, read = excluded.read, written = excluded.written,
             unchanged = excluded.unchanged, rejected = excluded.rejected, filtered = excluded.filtered, merged = excluded.merged, bytes = excluded.bytes,
             statements = excluded.statements, files = excluded.files, reject_reasons = excluded.reject_reasons,
             reject_file = excluded.reject_file, log = excluded.log, value = excluded.value,
             checks = excluded.checks, broken = excluded.broken, error = excluded.error, tries = excluded.tries, written_in = excluded.written_in, read_as = excluded.read_as`,
    values: [
      started.load_id, position, started.attempt, step.id, stepKind(step), state, begun.toISOString(), ended?.toISOString() ?? null,
      counts.read, counts.written, counts.unchanged, counts.rejected, counts.filtered, counts.merged, outcome.bytes,
      JSON.stringify(outcome.statements), JSON.stringify(outcome.files), JSON.stringify(outcome.rejectReasons),
      outcome.rejectFile, JSON.stringify(outcome.log),
      outcome.value ? JSON.stringify(outcome.value) : null,
      JSON.stringify(outcome.checks), outcome.checks.filter(({ holds }) => !holds).length,
      error ? JSON.stringify(error) : null,
      JSON.stringify(outcome.tries),
      outcome.writtenIn ?? null,
      outcome.readAs ? JSON.stringify(outcome.readAs) : null,
    ], // prettier-ignore
  })
}
