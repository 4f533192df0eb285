import type pg from 'pg'
import type { Counts } from '../../core/balance/balance'
import type { Slice } from '../../core/slice/slices'
import type { Aside } from '../trying/aside'
import type { FileRecord, LoadError, StatementRecord } from '../../database/schema'

/** Which load and step is at work; the marker in the target carries it. */
export interface Work {
  readonly installation: string
  readonly run: number
  readonly load: number
  readonly step: string
  readonly slice: Slice | null
  /** The job's zone: times without one are read in it. */
  readonly zone: string
  /** Folder for the rejects of this load. */
  readonly rejectFolder: string
  readonly signal: AbortSignal
  /** In a try: where everything is kept that it does. */
  readonly aside?: Aside
}

export interface StepOutcome {
  readonly counts: Counts
  readonly bytes: number
  readonly statements: StatementRecord[]
  readonly files: FileRecord[]
  readonly rejectReasons: Record<string, number>
  /** Path of the rejects file relative to the data folder's rejects/. */
  readonly rejectFile: string | null
  readonly log: string[]
  /** Columns that were found at the source; types where it has them. */
  readonly sourceColumns?: readonly { readonly name: string; readonly type?: string }[]
}

export function emptyOutcome(): StepOutcome & { counts: Counts; bytes: number; rejectFile: string | null } {
  return {
    counts: { read: 0, written: 0, unchanged: 0, rejected: 0, filtered: 0 },
    bytes: 0,
    statements: [],
    files: [],
    rejectReasons: {},
    rejectFile: null,
    log: [],
  }
}

export type Mutable<T> = { -readonly [K in keyof T]: T[K] }
export type Outcome = Mutable<StepOutcome>

/** A load cannot go on, or has nothing to do (`skip`). Carries what was found so far. */
export class StepFault extends Error {
  constructor(
    readonly error: Omit<LoadError, 'step'>,
    readonly skip = false,
  ) {
    super(error.message)
    this.name = 'StepFault'
  }
}

export const nothingWritten = 'nothing was written'

export function stepFault(code: string, message: string, advice: string, rows?: LoadError['rows']): never {
  throw new StepFault({ code, message, effect: nothingWritten, advice, ...(rows ? { rows } : {}) })
}

/** Runs a statement and keeps it, its values and its time for the record. */
export async function recorded(
  client: pg.ClientBase,
  outcome: Outcome,
  on: string,
  text: string,
  values: readonly unknown[] = [],
): Promise<pg.QueryResult> {
  const start = performance.now()
  const result = await client.query(text, values as unknown[])
  outcome.statements.push({
    on,
    text,
    ...(values.length > 0 ? { values } : {}),
    ...(result.rowCount === null ? {} : { rows: result.rowCount }),
    milliseconds: Math.round((performance.now() - start) * 10) / 10,
  })
  return result
}
