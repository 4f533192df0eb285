import { join } from 'node:path'
import { addCounts, noRows, type Counts } from '../../core/balance/balance'
import { causeOf, ownValues } from '../../core/run/cause'
import { celCompiler, plainValue, type Bindings } from '../../core/expression/cel'
import { FaultError } from '../../core/fault'
import { activeSteps, type Job } from '../../core/job/document'
import type { Step } from '../../core/job/steps'
import { waitText } from '../../core/job/waits'
import { runBindings, type Seen } from '../../core/plan/expand/bindings'
import { textsOfStep } from '../../core/plan/texts'
import { ancestorsOf } from '../../core/run/order'
import { hasEnded, verdictOf, type Before } from '../../core/run/when'
import type { RunState } from '../../core/runState'
import { lengthOf } from '../../core/schedule/duration'
import { lengthWords } from '../../core/schedule/words'
import { some } from '../../core/text/someOf'
import type { FileRecord, LoadError, SetValue } from '../../database/schema'
import type { Engine } from '../context/engine'
import { point } from '../context/points'
import { emptyOutcome, nothingWritten, StepFault, type Outcome } from '../context/step'
import { sendHome } from '../mending/home'
import { readLoad } from '../planning/stored'
import { unmetOf } from '../waiting/read'
import {
  fileBinding,
  runStep,
  stepBindings,
  textReader,
  type StepEnd,
  type StepFrame,
} from '../steps/runStep'
import { asVerdict } from './decide'
import { earlierParts } from './earlier'
import { frameOf } from './frame'
import { isStillMine, repeatedAt, sayWaiting } from './own'
import { rememberStep } from './remember'
import type { Started } from './started'
import { keepSteps, readAsOf, recordStep, stepsDone } from './stepRecords'

export interface LoadEnd {
  /** `held`: it stands after a step for a look, and goes on when told. `awaits`: it goes on when a run has ended. */
  readonly state: 'done' | 'failed' | 'skipped' | 'stopped' | 'held' | 'awaits'
  /** The run that it waits for. */
  readonly run?: number
  readonly counts: Counts
  readonly bytes: number
  readonly error: LoadError | null
  readonly cause: string | null
}

/** The end of a load that was let go because it waited as long as its part lets it; undefined for all others. */
async function waitedInVain(
  engine: Engine,
  { each }: Job['parts'][number],
  load: number,
): Promise<LoadEnd | undefined> {
  if (each?.waits_at_most === undefined) return undefined
  const what = await unmetOf(engine, load)
  if (what.length === 0) return undefined
  const waited = `it waited ${lengthWords(lengthOf(each.waits_at_most)!)} for`
  const message = `${waited} ${some(what)}, which is as long as it may`
  // the slices and rows of a load are no part of its cause
  const cause = `${waited} ${(each.waits ?? []).map(waitText).join('; ')}`
  return { state: 'failed', counts: noRows, bytes: 0, cause, error: { step: null, code: 'waited-too-long', message, effect: nothingWritten, advice: 'rerun it when that is there, or let its part wait longer (waits_at_most)' } } // prettier-ignore
}

/** A step within a load that runs. */
interface Place {
  state: RunState
  /** Its own condition did not hold. */
  passed: boolean
  counts: Counts
  bytes: number
  files: readonly FileRecord[]
  value?: SetValue | undefined
  error?: Omit<LoadError, 'step'>
  /** It was done in an earlier run, which counts it. */
  kept?: boolean
  /** The run that it began, and whose end it waits for. */
  awaits?: number
}

/**
 * Runs a load's steps as their order says, those side by side that do not wait on each other, and records each. What an
 * attempt before recorded as done is not done again. Never throws for what the load itself does wrong.
 */
export async function runLoad(engine: Engine, started: Started, signal: AbortSignal): Promise<LoadEnd> {
  const log = engine.log.child({
    run: started.run_id,
    load: Number(started.load_id),
    attempt: started.attempt,
  })
  const frame = await frameOf(engine, started.run_id)
  const planned = await readLoad(
    engine,
    { id: started.plan_id, parts: frame.parts, marks: frame.marks },
    started.number,
  )
  const vain = await waitedInVain(engine, frame.job.parts[started.part]!, Number(started.load_id))
  if (vain) return vain
  const { slice } = planned
  const plannedPart = frame.parts[started.part]!
  const steps = activeSteps(frame.job.parts[started.part]!)
  const waits = frame.waits[started.part]!
  const above = ancestorsOf(waits)
  const earlier = await earlierParts(engine, frame, started.part)
  const places = steps.map((): Place => ({
    state: 'waiting',
    passed: false,
    counts: noRows,
    bytes: 0,
    files: [],
  }))
  const { rerunFrom } = frame.run
  if (rerunFrom && started.repeats !== null)
    await keepSteps(engine, started, waits, steps.map(({ id }) => id), rerunFrom) // prettier-ignore
  for (const { position, ...rest } of await stepsDone(engine, started, rerunFrom !== null))
    if (places[position])
      Object.assign(places[position], rest, rest.error && { counts: nothingKept(rest.counts) })

  // only the one step is done: what it does not keep of the others is not there
  if (rerunFrom && 'only' in rerunFrom)
    places.forEach((place, at) => {
      if (place.state === 'waiting' && steps[at]!.id !== rerunFrom.only)
        Object.assign(place, { state: 'skipped', passed: true })
    })

  const now = () => new Date(Date.now() + frame.run.clockOffset)
  /** What a step sees: those it waits for, and the newest file that one of them read. */
  const bindingsOf = (at: number): Bindings => {
    const before = [...above[at]!].sort((a, b) => a - b).filter((one) => hasEnded(places[one]!.state))
    const file = before
      .map((one) => places[one]!.files.find(({ did }) => did !== 'written'))
      .findLast((one) => one !== undefined)
    return runBindings(
      frame.job,
      {
        parameters: frame.parameters,
        environment: frame.environment,
        row: planned.row,
        columns: frame.types[started.part] ?? {},
        slice,
      },
      {
        run: { id: started.run_id, started: iso(frame.run.startedAt ?? frame.run.createdAt) },
        step: { ...earlier.step, ...Object.fromEntries(before.map((one) => [steps[one]!.id, seen(places[one]!)])) },
        part: earlier.part,
        file: file ? fileBinding(file) : null,
      },
    ) // prettier-ignore
  }

  const run = async (at: number): Promise<void> => {
    const step = steps[at]!
    const place = places[at]!
    const texts = { planned: textsOfStep(plannedPart, planned, step.id), bindings: () => bindingsOf(at) }
    const stepFrame: StepFrame = {
      engine,
      environment: frame.environment.name,
      installation: engine.installation,
      run: started.run_id,
      load: Number(started.load_id),
      attempt: started.attempt,
      step: step.id,
      repeats: await repeatedAt(engine, started, step.id),
      stillMine: () => isStillMine(engine, started),
      waitsFor: (what) => sayWaiting(engine, started, what),
      logger: log.child({ step: step.id }),
      slice,
      ...(frame.mended
        ? { mended: { rows: frame.mended.rows, readAs: await readAsOf(engine, frame.mended.load, step.id) } }
        : {}),
      zone: frame.zone,
      rejectFolder: join(engine.dataFolder, 'rejects', String(started.run_id)),
      signal,
    }
    const begun = now()
    const { outcome, error, skip, awaits } = await runStep(stepFrame, step, texts)
    if (awaits !== undefined) {
      await recordStep(engine, started, at, step, 'running', begun, null, outcome)
      await point('run-begun')
      place.awaits = awaits
      return
    }
    const state = endState(signal, { error, skip }, step.hold && !frame.mended)
    // what was done is done, whether its rejects can be sent or not
    await sendHome(engine, Number(started.load_id), step.id, outcome).catch((fault: Error) => {
      outcome.log.push(`its rejects could not be sent: ${fault.message}`)
    })
    // before its record says that it is done: whoever takes the load over does not do it again
    if (!error)
      await rememberStep(
        engine,
        { ...frame.run, environment: frame.environment.name, rowKey: planned.rowKey ?? planned.key },
        started,
        step,
        textReader(frame.zone, step, texts),
        outcome,
      )
    await recordStep(engine, started, at, step, state, begun, now(), outcome, error)
    await point('step-recorded')
    const { counts } = outcome
    Object.assign(place, {
      counts: error ? nothingKept(counts) : counts,
      bytes: outcome.bytes,
      files: outcome.files,
      value: outcome.value,
      ...(error ? { error } : {}),
    })
    if (error) log.info({ step: step.id, code: error.code, state }, error.message)
    place.state = state
  }

  /** Leaves a step out, and says why. */
  const leaveOut = async (at: number, passed: boolean, why: string): Promise<void> => {
    const outcome: Outcome = { ...emptyOutcome(), log: [why] }
    await recordStep(engine, started, at, steps[at]!, 'skipped', now(), now(), outcome)
    Object.assign(places[at]!, { state: 'skipped', passed })
  }

  const decide = async (at: number): Promise<void> => {
    const { when } = steps[at]!
    try {
      const value = plainValue(celCompiler(frame.zone)(when).evaluate(bindingsOf(at)))
      if (asVerdict(when, value)) return await run(at)
      await leaveOut(at, true, `its condition does not hold: ${when}`)
    } catch (error) {
      if (!(error instanceof FaultError)) throw error
      const { code, message } = error.fault
      await recordStep(engine, started, at, steps[at]!, 'failed', now(), now(), { ...emptyOutcome(), log: [message] }) // prettier-ignore
      Object.assign(places[at]!, {
        state: 'failed',
        error: { code, message: `${message} (in when: ${when})`, effect: nothingWritten, advice: 'mend the expression, then rerun' },
      }) // prettier-ignore
    }
  }

  /** Begins what may begin, again after each that ends, until nothing is left to begin. */
  const goOn = async (): Promise<void> => {
    const begun: Promise<void>[] = []
    for (const [at, place] of places.entries()) {
      if (place.state !== 'waiting' || signal.aborted) continue
      const before = waits[at]!.map((one): Before => places[one]!)
      const verdict = verdictOf(steps[at]!.when, before)
      if (verdict === 'wait') continue
      place.state = 'running'
      const work = {
        begin: () => run(at),
        ask: () => decide(at),
        pass: () => leaveOut(at, true, 'nothing before it failed'),
        skip: () => leaveOut(at, false, 'something before it failed'),
      }[verdict]
      begun.push(work().then(goOn))
    }
    const ends = await Promise.allSettled(begun)
    for (const end of ends) if (end.status === 'rejected') throw end.reason
  }
  await goOn()
  const own = (step: string) =>
    ownValues({ texts: textsOfStep(plannedPart, planned, step), row: planned.row, slice })
  return endOf(steps, places, signal, own)
}

/** Nothing of what a step that failed read is written. */
const nothingKept = (counts: Counts): Counts => ({
  ...counts,
  written: 0,
  unchanged: 0,
  filtered: 0,
  merged: 0,
})

const iso = (text: string): string => new Date(text).toISOString()

const seen = ({ state, counts, value }: Place): Seen => ({
  state: state === 'held' ? 'done' : state,
  counts: stepBindings({ counts }),
  value,
})

/** Was it a person, and not a limit, that broke it off? */
const isStopped = (signal: AbortSignal): boolean => signal.aborted && !(signal.reason instanceof StepFault)

function endState(signal: AbortSignal, { error, skip }: Pick<StepEnd, 'error' | 'skip'>, hold: boolean): RunState {
  if (error === undefined) return hold ? 'held' : 'done'
  return isStopped(signal) ? 'stopped' : skip ? 'skipped' : 'failed'
} // prettier-ignore

/** What a load came to, by its steps; `ownOf` gives what the texts of a step have of their load. */
function endOf(
  steps: readonly Step[],
  places: readonly Place[],
  signal: AbortSignal,
  ownOf: (step: string) => string[],
): LoadEnd {
  const own = places.filter(({ kept }) => !kept)
  const bytes = own.reduce((sum, place) => sum + place.bytes, 0)
  const counts = own.map((place) => place.counts).reduce(addCounts, noRows)
  const by = (state: RunState) => places.findIndex((place) => place.state === state && place.error)
  const awaiting = places.find(({ awaits }) => awaits !== undefined)
  // also where it is being stopped: what it began is to be stopped with it
  if (awaiting)
    return { state: 'awaits', run: awaiting.awaits!, counts: noRows, bytes: 0, error: null, cause: null }
  const at = [by('failed'), by('stopped'), by('skipped')].find((one) => one >= 0) ?? -1
  const brokenOff = signal.aborted && places.some((place) => place.state === 'waiting')
  const limit = brokenOff && signal.reason instanceof StepFault ? signal.reason.error : undefined
  if (at < 0 && limit === undefined) {
    const state = brokenOff ? 'stopped' : places.some((place) => place.state === 'held') ? 'held' : 'done'
    return { state, counts, bytes, error: null, cause: null }
  }
  const { state, error } = at < 0 ? { state: 'failed' as const, error: limit } : places[at]!
  const wrote = places.flatMap(({ state: one, kept, counts: { written } }, i) =>
    (one === 'done' || one === 'held') && !kept && written > 0
      ? [`${steps[i]!.id} wrote ${written.toLocaleString('en')} rows`]
      : [],
  )
  return {
    state: state as LoadEnd['state'],
    // nothing of what was read took effect, so nothing of it is counted
    counts: wrote.length === 0 ? noRows : counts,
    bytes,
    error: {
      step: steps[at]?.id ?? null,
      ...error!,
      effect: wrote.length > 0 ? `${error!.effect}; beside it, ${wrote.join(', ')}` : error!.effect,
    },
    cause: state === 'stopped' ? null : causeOf(error!.message, at < 0 ? [] : ownOf(steps[at]!.id)),
  }
}
