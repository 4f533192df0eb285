import { celCompiler, type Bindings } from '../../core/expression/cel'
import { assemble, compileSlot, workOut, type Resolved, type Slot } from '../../core/text/slot'
import { fail, FaultError } from '../../core/fault'
import { stepKind, type Step } from '../../core/job/document'
import { checkText } from '../../core/job/outline'
import type { Row } from '../../core/value'
import type { FileRecord, LoadError } from '../../database/schema'
import { openPostgres } from '../connectors/connections'
import { mayPass, postgresMessage, qualified } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { inTransaction } from '../writing/target'
import { runTransfer, tableOf, type TextOf } from './transfer'
import { emptyOutcome, nothingWritten, StepFault, type Outcome, type Work } from '../context/work'
import { checkTable } from './check'
import { runSql } from './sql'

/** Pauses before a step is tried again after a fault that may pass, in milliseconds. */
const pauses = [500, 2000, 8000]

/** Where a step runs. */
export interface StepFrame {
  readonly environment: string
  readonly zone: string
}

/** A step's texts as planned, and what those need that wait for earlier steps. */
export interface StepTexts {
  readonly slots: readonly Slot[]
  readonly resolved: readonly (Resolved | null)[]
  readonly bindings: () => Bindings
}

export interface StepEnd {
  readonly outcome: Outcome
  readonly error?: Omit<LoadError, 'step'>
  readonly skip?: boolean
}

/** Runs a step, again after growing pauses where the fault may pass. Never throws for what the step does wrong. */
export async function runStep(
  engine: Engine,
  frame: StepFrame,
  step: Step,
  texts: StepTexts,
  work: Work,
): Promise<StepEnd> {
  for (let attempt = 0; ; attempt++) {
    const outcome: Outcome = emptyOutcome()
    try {
      const adopted = await attemptStep(engine, frame, step, slotReader(frame.zone, texts), work, outcome)
      return { outcome: adopted ?? outcome }
    } catch (error) {
      if (work.signal.aborted) {
        return {
          outcome,
          error: { code: 'stopped', message: 'stopped', effect: nothingWritten, advice: 'rerun it' },
        }
      }
      if (mayPass(error) && attempt < pauses.length) {
        outcome.log.push(`${(error as Error).message}; tried again`)
        await new Promise((resolve) => setTimeout(resolve, pauses[attempt]))
        continue
      }
      return { outcome, error: loadError(error), skip: error instanceof StepFault && error.skip }
    }
  }
}

function loadError(error: unknown): Omit<LoadError, 'step'> {
  if (error instanceof StepFault) return error.error
  if (error instanceof FaultError) {
    return {
      code: error.fault.code,
      message: error.fault.message,
      effect: nothingWritten,
      advice: 'mend the job, the control row or the connection, then rerun',
    }
  }
  const { code } = error as { code?: string }
  const advice =
    code === '42501'
      ? 'give the connection’s user the right, then rerun'
      : code === 'ENOSPC' || code === '53100'
        ? 'make room on the disk, then rerun'
        : 'mend the cause, then rerun'
  return { code: code ?? 'error', message: postgresMessage(error), effect: nothingWritten, advice }
}

/** Runs one step; returns what an earlier attempt recorded where that took effect already. */
async function attemptStep(
  engine: Engine,
  { environment, zone }: StepFrame,
  step: Step,
  text: TextOf,
  work: Work,
  outcome: Outcome,
): Promise<Outcome | undefined> {
  if (work.aside) work.aside.looks = []
  switch (stepKind(step)) {
    case 'transfer':
      return await runTransfer(engine, step.transfer!, environment, zone, text, work, outcome)
    case 'sql': {
      const on = plain(text('sql.on'))
      const statement = text('sql.text')
      if (statement.kind !== 'sql') throw new Error('SQL was expected')
      const pool = await openPostgres(engine, on, environment)
      return await inTransaction({ pool, connection: on }, work, zone, outcome, (client) =>
        runSql(client, pool, on, statement.text, statement.values, work, outcome),
      )
    }
    case 'check': {
      const on = plain(text('check.on'))
      const table = tableOf(text('check.table'))
      const pool = await openPostgres(engine, on, environment)
      const place = work.aside ? await work.aside.database(pool, on).reading(table) : table
      const client = await pool.connect()
      try {
        for (const check of step.check!.that) {
          await checkTable(client, qualified(place), `${table.schema}.${table.name}`, check, outcome, on)
          outcome.log.push(`holds: ${checkText(check)}`)
        }
      } finally {
        client.release()
      }
      return undefined
    }
  }
}

/** What later steps of the load see of a step. */
export const stepBindings = ({ counts }: Pick<Outcome, 'counts'>): Row => ({
  rows_read: counts.read,
  rows_written: counts.written,
  rows_unchanged: counts.unchanged,
  rows_rejected: counts.rejected,
})

/** The file that later steps of the load see. */
export const fileBinding = ({ path, size }: FileRecord): Row => ({
  name: path.split('/').at(-1)!,
  path,
  size,
})

/** Reads a slot as planned; what had to wait for earlier steps is worked out now. */
export function slotReader(zone: string, { slots, resolved, bindings }: StepTexts) {
  return (path: string): Resolved => {
    const at = slots.findIndex((slot) => slot.path === path)
    const planned = resolved[at]
    if (!planned) fail('expression', `${path} could not be resolved`)
    if (planned.kind !== 'later') return planned
    const compiled = compileSlot(slots[at]!, celCompiler(zone))
    const scope = bindings()
    return assemble(compiled, (i) => {
      const piece = compiled.pieces[i]!
      return typeof piece === 'string' ? piece : workOut(piece, scope)
    })
  }
}

function plain(resolved: Resolved): string {
  return resolved.text
}
