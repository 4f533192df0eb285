import { join } from 'node:path'
import { and, eq, gt, lt, sql } from 'drizzle-orm'
import { celCompiler, plainValue, type Bindings } from '../../core/expression/cel'
import { fail, FaultError } from '../../core/fault'
import type { Step } from '../../core/job/steps'
import { isWhenWord } from '../../core/run/when'
import { allSteps } from '../../core/job/document'
import { parseJob } from '../../core/job/parse'
import { runBindings, type Seen } from '../../core/plan/expand/bindings'
import type { Row } from '../../core/value'
import { tryStep, tryTable, type LoadError } from '../../database/schema'
import type { Engine } from '../context/engine'
import { readEnvironment } from '../planning/plan'
import { fileBinding, runStep, stepBindings, type StepFrame } from '../steps/runStep'
import { literal, withDuck } from '../duck/duck'
import type { Outcome } from '../context/step'
import { TryAside } from './aside'
import { folderOf, schemaOf, tellTry, trySteps } from './try'

/** Runs a try from where it stands until it is held, done, failed or stopped. */
export async function runTry(engine: Engine, worker: number, id: number, signal: AbortSignal): Promise<void> {
  const [taken] = await engine.db
    .update(tryTable)
    .set({ state: 'running', worker })
    .where(and(eq(tryTable.id, id), eq(tryTable.state, 'waiting')))
    .returning()
  if (!taken) return
  const mine = and(eq(tryTable.id, id), eq(tryTable.worker, worker), eq(tryTable.state, 'running'))
  const end = async (state: 'held' | 'done' | 'failed' | 'stopped') => {
    await engine.db
      .update(tryTable)
      .set({ state, ...(state === 'held' ? {} : { endedAt: sql`clock_timestamp()` }) })
      .where(mine)
    await tellTry(engine.db.$client, id)
  }
  const { job } = parseJob(taken.document)
  const environment = await readEnvironment(engine, taken.environment)
  const zone = job!.slices?.zone ?? 'UTC'
  const aside = new TryAside(schemaOf(id), folderOf(engine, id), taken.aside)
  const steps = await trySteps(engine, id)
  // what later steps of a load see of those before them, of a part of the try before a hold, too
  const seen = new Map<number, { step: Record<string, Seen>; file: Row | null }>()
  const note = (load: number, step: string, outcome: Pick<Outcome, 'counts' | 'files' | 'value'>) => {
    const before = seen.get(load) ?? { step: {}, file: null }
    const file = outcome.files.find(({ did }) => did !== 'written')
    seen.set(load, {
      step: {
        ...before.step,
        [step]: { state: 'done', counts: stepBindings(outcome), value: outcome.value },
      },
      file: file ? fileBinding(file) : before.file,
    })
  }
  for (const unit of steps.slice(0, taken.next))
    if (unit.counts)
      note(unit.load, unit.step, {
        counts: unit.counts,
        files: unit.files,
        ...(unit.value ? { value: unit.value } : {}),
      })
  for (let place = taken.next; place < steps.length;) {
    const unit = steps[place]!
    const load = taken.loads[unit.load]!
    const at = and(eq(tryStep.tryId, id), eq(tryStep.position, unit.position))
    await engine.db.update(tryStep).set({ state: 'running' }).where(at)
    await tellTry(engine.db.$client, id)
    const part = job!.parts[load.part]!
    const step = allSteps(part).find((one) => one.id === unit.step)
    if (!step) fail('unknown-name', `the document has no step "${unit.step}" any more`)
    const bindings = () =>
      runBindings(
        job!,
        { parameters: taken.parameters, environment, row: load.row, columns: load.types, slice: load.slice },
        {
          run: { id: 0, started: new Date(taken.createdAt).toISOString() },
          step: seen.get(unit.load)?.step ?? {},
          file: seen.get(unit.load)?.file ?? null,
        },
      )
    const passed = passedOver(step, zone, bindings)
    if (passed !== undefined) {
      // nothing failed before it: a load of which something has goes no further in a try
      await engine.db
        .update(tryStep)
        .set({ state: 'skipped', log: [passed] })
        .where(at)
      place++
      await engine.db.update(tryTable).set({ next: place }).where(mine)
      continue
    }
    const start = performance.now()
    const frame: StepFrame = {
      engine,
      environment: environment.name,
      installation: engine.installation,
      run: 0,
      load: unit.position,
      attempt: 1,
      step: step.id,
      // a try is nobody else's, and its page shows each step as it comes
      stillMine: () => Promise.resolve(true),
      waitsFor: () => Promise.resolve(),
      logger: engine.log.child({ try: taken.id, load: unit.position, step: step.id }),
      slice: load.slice,
      zone,
      rejectFolder: join(aside.folder, 'rejects'),
      signal,
      aside,
    }
    const planned = load.texts.filter(({ slot }) => slot.step === step.id)
    const { outcome, error, skip } = await runStep(frame, step, { planned, bindings })
    if (outcome.rejectFile !== null) await lookAtRejects(aside, join(frame.rejectFolder, `${frame.load}-${frame.step}.csv`)) // prettier-ignore
    const stopped = signal.aborted && error !== undefined
    await engine.db
      .update(tryStep)
      .set({
        state: error === undefined ? 'done' : stopped ? 'stopped' : skip ? 'skipped' : 'failed',
        milliseconds: Math.round(performance.now() - start),
        counts: outcome.counts,
        statements: [...outcome.statements],
        files: [...outcome.files],
        rejectReasons: outcome.rejectReasons,
        log: [...outcome.log],
        value: outcome.value ?? null,
        error: error ? plainError(aside, error) : null,
        looks: aside.looks,
      })
      .where(at)
    if (!error) note(unit.load, unit.step, outcome)
    // what is left of a load that failed is skipped; the other rows go on
    const after = error ? steps.findIndex((one, i) => i > place && (load.row === null || one.load !== unit.load)) : place + 1 // prettier-ignore
    const next = after < 0 || (error && load.row === null) ? steps.length : after
    if (next > place + 1)
      await engine.db
        .update(tryStep)
        .set({ state: 'skipped' })
        .where(and(eq(tryStep.tryId, id), gt(tryStep.position, place), lt(tryStep.position, next)))
    place = next
    await engine.db.update(tryTable).set({ next, aside: aside.state }).where(mine)
    await tellTry(engine.db.$client, id)
    if (signal.aborted) return await end('stopped')
    if (unit.hold && !error && place < steps.length) return await end('held')
  }
  const failed = (await trySteps(engine, id)).some(({ state }) => state === 'failed')
  await end(failed ? 'failed' : 'done')
}

/** Why a step is left out, where its condition does not hold, or cannot be worked out. */
function passedOver(step: Step, zone: string, bindings: () => Bindings): string | undefined {
  const { when } = step
  if (when === 'failed') return 'nothing before it failed'
  if (isWhenWord(when)) return undefined
  try {
    return plainValue(celCompiler(zone)(when).evaluate(bindings())) === false
      ? `its condition does not hold: ${when}`
      : undefined
  } catch (error) {
    if (error instanceof FaultError) return `its condition cannot be worked out: ${error.fault.message}`
    throw error
  }
}

/** A fault in the words of the job, whose author does not know the scratch schema. */
const plainError = (aside: TryAside, error: Omit<LoadError, 'step'>): Omit<LoadError, 'step'> => ({
  ...error,
  message: aside.plainText(error.message),
  effect: 'nothing outside the try was written',
  advice: aside
    .plainText(error.advice)
    .replace(/, then rerun$/, ', then try again')
    .replace(/^rerun\b/, 'try again'),
})

async function lookAtRejects(aside: TryAside, file: string): Promise<void> {
  await withDuck('UTC', true, (duck) =>
    aside.lookAtOutput(duck, 'rejects', `select * from read_csv(${literal(file)}, all_varchar = true)`),
  )
}
