import type { Started } from './started'
import { stepKind, type Step } from '../../core/job/steps'
import { activeSteps } from '../../core/job/document'
import { join } from 'node:path'
import { eq } from 'drizzle-orm'
import { addCounts, causeOf, noRows, type Counts } from '../../core/balance/balance'
import type { Bindings } from '../../core/expression/cel'
import { fail } from '../../core/fault'
import { type Job } from '../../core/job/document'
import { runBindings } from '../../core/plan/expand/bindings'
import type { Row, ValueType } from '../../core/value'
import {
  jobVersion,
  plan as planTable,
  run as runTable,
  type LoadError,
  type PlanMark,
  type StoredPart,
} from '../../database/schema'
import type { Engine } from '../context/engine'
import { memory } from '../context/memory'
import { point } from '../context/points'
import { isStillMine, repeatedAt, sayWaiting } from './own'
import { documentOf } from '../jobs/versions'
import { readEnvironment } from '../planning/plan'
import { readLoad } from '../planning/stored'
import { rememberStep } from './remember'
import { textsOfStep } from '../../core/plan/texts'
import { fileBinding, runStep, stepBindings, textReader, type StepFrame } from '../steps/runStep'
import { StepFault, type Outcome } from '../context/step'

/** What all loads of a run share; it never changes, so a worker reads it once. */
interface RunFrame {
  readonly run: typeof runTable.$inferSelect
  readonly job: Job
  readonly zone: string
  readonly parameters: Row
  readonly environment: { name: string; values: Row }
  /** Types of the roster's columns, by part. */
  readonly types: Record<number, Record<string, ValueType>>
  readonly parts: readonly StoredPart[]
  readonly marks: readonly PlanMark[]
}

const frames = memory<RunFrame>(50)

async function readFrame(engine: Engine, runId: number): Promise<RunFrame> {
  const [found] = await engine.db
    .select()
    .from(runTable)
    .innerJoin(jobVersion, eq(jobVersion.id, runTable.versionId))
    .innerJoin(planTable, eq(planTable.id, runTable.planId))
    .where(eq(runTable.id, runId))
  if (!found) fail('unknown-name', `there is no run ${runId}`)
  const job = documentOf(found.job_version)
  const types = Object.fromEntries(
    found.plan.parts.map((part) => [
      part.index,
      Object.fromEntries(part.columns.map(({ name, type }) => [name, type])),
    ]),
  )
  return {
    run: found.run,
    job,
    zone: job.slices?.zone ?? 'UTC',
    parameters: found.plan.parameters,
    environment: await readEnvironment(engine, found.run.environment),
    types,
    parts: found.plan.parts,
    marks: found.plan.marks,
  }
}

export interface LoadEnd {
  readonly state: 'done' | 'failed' | 'skipped' | 'stopped'
  readonly counts: Counts
  readonly bytes: number
  readonly error: LoadError | null
  readonly cause: string | null
}

/** Runs a load's steps in order and records each. Never throws for what the load itself does wrong. */
export async function runLoad(engine: Engine, started: Started, signal: AbortSignal): Promise<LoadEnd> {
  const log = engine.log.child({
    run: started.run_id,
    load: Number(started.load_id),
    attempt: started.attempt,
  })
  const frame = await frames.of(engine, started.run_id, () => readFrame(engine, started.run_id))
  const planned = await readLoad(
    engine,
    { id: started.plan_id, parts: frame.parts, marks: frame.marks },
    started.number,
  )
  const { slice } = planned
  const plannedPart = frame.parts[started.part]!
  const steps = activeSteps(frame.job.parts[started.part]!)
  const outcomes: Record<string, Row> = {}
  let counts = noRows
  let bytes = 0
  let file: Row | null = null
  const wrote: string[] = []
  for (const [position, step] of steps.entries()) {
    const bindings = (): Bindings =>
      runBindings(
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
          step: outcomes,
          file,
        },
      )
    const texts = { planned: textsOfStep(plannedPart, planned, step.id), bindings }
    const at: StepFrame = {
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
      zone: frame.zone,
      rejectFolder: join(engine.dataFolder, 'rejects', String(started.run_id)),
      signal,
    }
    const begun = new Date(Date.now() + frame.run.clockOffset)
    const { outcome, error, skip } = await runStep(at, step, texts)
    const stopped = signal.aborted && error !== undefined && !(signal.reason instanceof StepFault)
    const state = error === undefined ? 'done' : stopped ? 'stopped' : skip ? 'skipped' : 'failed'
    await recordStep(
      engine,
      started,
      position,
      step,
      state,
      begun,
      new Date(Date.now() + frame.run.clockOffset),
      outcome,
    )
    await point('step-recorded')
    counts = addCounts(
      counts,
      error ? { ...outcome.counts, written: 0, unchanged: 0, filtered: 0 } : outcome.counts,
    )
    bytes += outcome.bytes
    if (error) {
      log.info({ step: step.id, code: error.code, state }, error.message)
      const effect = wrote.length > 0 ? `${error.effect}; before it, ${wrote.join(', ')}` : error.effect
      // nothing of what was read took effect, so nothing of it is counted
      if (wrote.length === 0) counts = noRows
      return {
        state: state as LoadEnd['state'],
        counts,
        bytes,
        error: { step: step.id, ...error, effect },
        cause: stopped ? null : causeOf(error.message),
      }
    }
    if (outcome.counts.written > 0)
      wrote.push(`${step.id} wrote ${outcome.counts.written.toLocaleString('en')} rows`)
    outcomes[step.id] = stepBindings(outcome)
    const [first] = outcome.files
    if (first) file = fileBinding(first)
    await rememberStep(
      engine,
      { ...frame.run, environment: frame.environment.name, rowKey: planned.rowKey ?? planned.key },
      started,
      step,
      textReader(frame.zone, step, texts),
      outcome,
    )
  }
  return { state: 'done', counts, bytes, error: null, cause: null }
}

const iso = (text: string): string => new Date(text).toISOString()

async function recordStep(
  engine: Engine,
  started: Started,
  position: number,
  step: Step,
  state: string,
  begun: Date,
  ended: Date,
  outcome: Outcome,
): Promise<void> {
  const { counts } = outcome
  await engine.db.$client.query({
    name: 'mattock-record-step',
    text: `insert into mattock.load_step (load_id, position, attempt, step, kind, state, started_at, ended_at, read, written, unchanged,
             rejected, filtered, bytes, statements, files, reject_reasons, reject_file, log)
           select $1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19
           where exists (select 1 from mattock.load where id = $1 and attempt = $3)
           on conflict (load_id, position) do update set attempt = excluded.attempt, state = excluded.state,
             started_at = excluded.started_at, ended_at = excluded.ended_at, read = excluded.read, written = excluded.written,
             unchanged = excluded.unchanged, rejected = excluded.rejected, filtered = excluded.filtered, bytes = excluded.bytes,
             statements = excluded.statements, files = excluded.files, reject_reasons = excluded.reject_reasons,
             reject_file = excluded.reject_file, log = excluded.log`,
    values: [
      started.load_id, position, started.attempt, step.id, stepKind(step), state, begun.toISOString(), ended.toISOString(),
      counts.read, counts.written, counts.unchanged, counts.rejected, counts.filtered, outcome.bytes,
      JSON.stringify(outcome.statements), JSON.stringify(outcome.files), JSON.stringify(outcome.rejectReasons),
      outcome.rejectFile, JSON.stringify(outcome.log),
    ], // prettier-ignore
  })
}
