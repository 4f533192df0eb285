import { eq, sql } from 'drizzle-orm'
import { fail } from '../../core/fault'
import type { Job } from '../../core/job/document'
import { stepWaits } from '../../core/job/order'
import type { Row, ValueType } from '../../core/value'
import {
  jobVersion,
  plan as planTable,
  run as runTable,
  mended,
  type MendedRow,
  type PlanMark,
  type StoredPart,
} from '../../database/schema'
import { prepared } from '../../database/prepared'
import type { Engine } from '../context/engine'
import { memory } from '../context/memory'
import { documentOf } from '../jobs/versions'
import { readEnvironment } from '../planning/plan'

/** Rows that a person mended, and the load that rejected them. */
interface Mended {
  readonly load: number
  readonly rows: readonly MendedRow[]
}

/** What all loads of a run share; it never changes, so a worker reads it once. */
export interface RunFrame {
  readonly run: typeof runTable.$inferSelect
  readonly job: Job
  readonly zone: string
  readonly parameters: Row
  readonly environment: { name: string; values: Row }
  /** Types of the roster's columns, by part. */
  readonly types: Record<number, Record<string, ValueType>>
  readonly parts: readonly StoredPart[]
  readonly marks: readonly PlanMark[]
  /** Rejected rows that a person mended, where the run brings them in. */
  readonly mended: Mended | undefined
  /** For each part, which of its steps wait for which. */
  readonly waits: readonly ReturnType<typeof stepWaits>[]
}

const frames = memory<RunFrame>(50)

export const frameOf = (engine: Engine, run: number): Promise<RunFrame> =>
  frames.of(engine, run, () => readFrame(engine, run))

const withPlan = prepared((db) =>
  db
    .select()
    .from(runTable)
    .innerJoin(jobVersion, eq(jobVersion.id, runTable.versionId))
    .innerJoin(planTable, eq(planTable.id, runTable.planId))
    .where(eq(runTable.id, sql.placeholder('run')))
    .prepare('run with its plan'),
)

async function readFrame(engine: Engine, runId: number): Promise<RunFrame> {
  const [found] = await withPlan(engine.db).execute({ run: runId })
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
    mended: await mendedRows(engine, found.run),
    waits: job.parts.map(stepWaits),
  }
}

async function mendedRows(engine: Engine, { id, rerunFrom }: RunFrame['run']): Promise<Mended | undefined> {
  if (!rerunFrom || !('only' in rerunFrom)) return undefined
  const [found] = await engine.db
    .select({ load: mended.loadId, rows: mended.rows })
    .from(mended)
    .where(eq(mended.runId, id))
  return found
}
