import { setTimeout as sleep } from 'node:timers/promises'
import { Temporal } from 'temporal-polyfill'
import { celCompiler, type Bindings } from '../../core/expression/cel'
import { fail, FaultError } from '../../core/fault'
import { stepKind, type Step } from '../../core/job/steps'
import { assemble, compileSlot, workOut, type Resolved, type Slot } from '../../core/text/slot'
import type { Row } from '../../core/value'
import type { FileRecord, LoadError, StepTry } from '../../database/schema'
import { mayPass, postgresMessage } from '../connectors/postgres/tables'
import { AwaitsRun } from '../context/awaits'
import { isFull } from '../context/causes'
import { readerWords } from '../formats/readerWords'
import { CommitUnknown } from '../writing/transaction'
import {
  emptyOutcome,
  nothingWritten,
  StepFault,
  stopped,
  type Outcome,
  type StepContext,
  type TextOf,
} from '../context/step'
import { runnerOf } from './index'

/** How the pauses grow before a step is tried again after a fault that may pass: times the first. */
const pauses = [1, 4, 16, 30]

/** What a step's texts are worked out from that wait for earlier steps. */
export interface StepTexts {
  /** The texts of the step as planned. */
  readonly planned: readonly { readonly slot: Slot; readonly resolved: Resolved | null }[]
  readonly bindings: () => Bindings
}

/** A context without what each attempt makes anew. */
export type StepFrame = Omit<StepContext, 'text' | 'outcome'>

export interface StepEnd {
  readonly outcome: Outcome
  readonly error?: Omit<LoadError, 'step'>
  readonly skip?: boolean
  /** The run that it began, and whose end it waits for. */
  readonly awaits?: number
}

/** An ISO 8601 duration of hours, minutes and seconds in milliseconds. */
const milliseconds = (duration: string): number => Temporal.Duration.from(duration).total('milliseconds')

/**
 * Runs a step within its own time, again after growing pauses where the fault may pass. Where the step says how often it is
 * tried, each try has that time, and one that took too long is followed by another; else all tries share it. Never throws
 * for what the step does wrong.
 */
export async function runStep(given: StepFrame, step: Step, texts: StepTexts): Promise<StepEnd> {
  if (step.timeout === undefined || step.tries !== undefined) return await attempts(given, step, texts)
  return await withinTime(given, step, (frame) => attempts(frame, step, texts))
}

/** Gives work the time that a step may take; its signal says why it is broken off. */
async function withinTime<T>(
  given: StepFrame,
  step: Step,
  work: (frame: StepFrame) => Promise<T>,
): Promise<T> {
  if (step.timeout === undefined) return await work(given)
  const abort = new AbortController()
  const onAbort = () => abort.abort(given.signal.reason)
  if (given.signal.aborted) onAbort()
  given.signal.addEventListener('abort', onAbort, { once: true })
  const timer = setTimeout(() => abort.abort(tooLate(step)), milliseconds(step.timeout))
  try {
    return await work({ ...given, signal: abort.signal })
  } catch (error) {
    const { reason } = abort.signal
    const late = abort.signal.aborted && !given.signal.aborted && reason instanceof StepFault
    // whether a commit took effect is not known by being late
    throw late && !(error instanceof CommitUnknown) ? reason : error
  } finally {
    clearTimeout(timer)
    given.signal.removeEventListener('abort', onAbort)
  }
}

const tooLate = ({ id, timeout }: Step): StepFault =>
  new StepFault({
    code: 'too-long',
    message: `step ${id} took longer than its timeout of ${timeout!}`,
    effect: nothingWritten,
    advice: 'part the load, or set the timeout higher',
  })

/** Did a try take longer than it may? All tries together end by their signal, which is looked at before. */
const tookTooLong = (error: unknown): boolean => error instanceof StepFault && error.error.code === 'too-long'

const firstPause = ({ engine }: StepFrame, { pause }: Step): number =>
  pause === undefined ? engine.limits.pause : milliseconds(pause)

async function attempts(frame: StepFrame, step: Step, texts: StepTexts): Promise<StepEnd> {
  const most = Math.min(step.tries ?? pauses.length + 1, 20)
  const { runner, spec } = runnerOf(step)
  const text = textReader(frame.zone, step, texts)
  // what failed attempts did stays in the record, before what the last one did
  const before: Pick<Outcome, 'log' | 'statements' | 'tries'> = { log: [], statements: [], tries: [] }
  // one attempt may have taken effect: as long as no later one could look, nobody knows
  let unknown: CommitUnknown | undefined
  for (let attempt = 0; ; attempt++) {
    const outcome: Outcome = {
      ...emptyOutcome(),
      log: [...before.log],
      statements: [...before.statements],
      tries: before.tries,
    }
    const begun = performance.now()
    try {
      if (frame.aside) frame.aside.looks = []
      const run = (own: StepFrame) => runner.run({ ...own, text, outcome }, spec)
      return { outcome: await (step.tries === undefined ? run(frame) : withinTime(frame, step, run)) }
    } catch (error) {
      if (error instanceof AwaitsRun) return { outcome, awaits: error.run }
      if (frame.signal.aborted) return { outcome, error: endedBy(frame.signal).error }
      unknown ??= error instanceof CommitUnknown ? error : undefined
      if ((mayPass(error) || tookTooLong(error)) && attempt + 1 < most) {
        frame.logger.warn({ error, attempt }, 'a fault that may pass; the step is tried again')
        before.log = [...outcome.log, `${(error as Error).message}; tried again`]
        before.statements = outcome.statements
        before.tries = [...before.tries, tryOf(error, begun)]
        await sleep(pauses[Math.min(attempt, pauses.length - 1)]! * firstPause(frame, step), undefined, {
          signal: frame.signal,
        }).catch(() => {})
        if (frame.signal.aborted) return { outcome, error: endedBy(frame.signal).error }
        continue
      }
      const said = loadError(unknown ?? error)
      const told =
        outcome.effect !== undefined && said.effect === nothingWritten ? outcome.effect : said.effect
      return { outcome, error: { ...said, effect: told }, skip: error instanceof StepFault && error.skip }
    }
  }
}

/** A try that failed, for the record. @param begun as `performance.now` gave it */
const tryOf = (error: unknown, begun: number): StepTry => {
  const { code, message } = loadError(error)
  return { code, message, at: new Date().toISOString(), milliseconds: Math.round(performance.now() - begun) }
}

/** Why a step was broken off: a person stopped it, or it took more than it may. */
function endedBy({ reason }: AbortSignal): StepFault {
  return reason instanceof StepFault ? reason : stopped()
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
  const unread = code === undefined ? readerWords((error as Error).message) : undefined
  if (unread)
    return {
      code: 'file',
      message: unread,
      effect: nothingWritten,
      advice: 'look at the file; is it what it should be?',
    }
  if (error instanceof CommitUnknown)
    return {
      code: 'commit-unknown',
      message: error.message,
      effect: 'whether it took effect is not known; its marker in the database tells',
      advice: 'rerun it: where it had taken effect, it is not done again',
    }
  if (isFull(error as Error))
    return {
      code: 'no-space',
      message: `no space left: ${postgresMessage(error)}`,
      effect: nothingWritten,
      advice: 'make room on the disk, then rerun',
    }
  if (code === '55P03')
    return {
      code: 'locked',
      message: `another holds a lock longer than a load waits: ${postgresMessage(error)}`,
      effect: nothingWritten,
      advice: 'see who holds it, then rerun; MATTOCK_LOCK_WAIT_SECONDS says how long a load waits',
    }
  const advice =
    code === '42501' ? 'give the connection’s user the right, then rerun' : 'mend the cause, then rerun'
  return { code: code ?? 'error', message: postgresMessage(error), effect: nothingWritten, advice }
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

/** Reads a text of a step as planned; what had to wait for earlier steps is worked out now. */
export function textReader(zone: string, step: Step, { planned, bindings }: StepTexts): TextOf {
  const kind = stepKind(step)
  const byPath = new Map(planned.map((one) => [one.slot.path, one]))
  return (path) => {
    const found = byPath.get(`${kind}.${path}`)
    if (!found?.resolved) fail('expression', `${kind}.${path} could not be resolved`)
    const { slot, resolved } = found
    if (resolved.kind !== 'later') return resolved
    const compiled = compileSlot(slot, celCompiler(zone))
    const scope = bindings()
    return assemble(compiled, (i) => {
      const piece = compiled.pieces[i]!
      return typeof piece === 'string' ? piece : workOut(piece, scope)
    })
  }
}
