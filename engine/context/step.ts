import type pg from 'pg'
import { noRows, type Counts } from '../../core/balance/balance'
import type { Slice } from '../../core/slice/slices'
import type { Resolved } from '../../core/text/slot'
import type { Aside } from './aside'
import type { Engine } from './engine'
import type { Logger } from './logger'
import type {
  CheckRecord,
  FileRecord,
  LoadError,
  MarkMove,
  MendedRow,
  ReadAs,
  SetValue,
  StatementRecord,
  StepTry,
} from '../../database/schema'

/** What reading a source needs to know. */
export interface ReadContext {
  readonly engine: Engine
  readonly environment: string
  /** Times without a zone are read in it. */
  readonly zone: string
  readonly signal: AbortSignal
  /** What is found out on the way. */
  readonly outcome: Outcome
  /** In a try: where everything is kept that it does. */
  readonly aside?: Aside
}

/** Gives a text of a step as it resolved, by its path below the kind, such as `from.files`. */
export type TextOf = (path: string) => Resolved

/** Which load and step is at work, and all it works with; the marker in the target carries its names. */
export interface StepContext extends ReadContext {
  readonly installation: string
  readonly run: number
  readonly load: number
  /** Counted from 1; another worker that takes the load over has the next. */
  readonly attempt: number
  readonly step: string
  /** The load of an earlier run that failed at this very step, and that this one repeats. */
  readonly repeats?: number | undefined
  readonly slice: Slice | null
  /** Rows that a person mended: they are written, in the place of what the step reads. */
  readonly mended?: { readonly readAs: ReadAs; readonly rows: readonly MendedRow[] } | undefined
  /** Folder for the rejects of this load. */
  readonly rejectFolder: string
  readonly text: TextOf
  /** The process's log, its lines marked with run, load and step. */
  readonly logger: Logger
  /** Is the load still this attempt's? Another may have taken it while this process stood still. */
  readonly stillMine: () => Promise<boolean>
  /** Says what the step waits for, where it waits for another; null when it goes on. Never throws. */
  readonly waitsFor: (what: string | null) => Promise<void>
}

/** A context for looking only: what is found out on the way is not kept. */
export const lookContext = (
  engine: Engine,
  environment: string,
  zone = 'UTC',
  signal: AbortSignal = new AbortController().signal,
): ReadContext => ({ engine, environment, zone, signal, outcome: emptyOutcome() })

/** What a step did, as it is recorded. */
export interface StepOutcome {
  readonly counts: Counts
  readonly bytes: number
  readonly statements: StatementRecord[]
  readonly files: FileRecord[]
  readonly rejectReasons: Record<string, number>
  readonly checks: CheckRecord[]
  /** Path of the rejects file relative to the data folder's rejects/. */
  readonly rejectFile: string | null
  /** How those were read, so that they can be mended; null where they cannot. */
  readonly readAs?: ReadAs | null
  readonly log: string[]
  /** Tries of it that failed before this one. */
  readonly tries: StepTry[]
  /** The transaction in the target that its rows bear, by the target's own number. */
  readonly writtenIn?: string
  /** The mark that it moved. */
  readonly mark?: MarkMove
  /** What it gives to later steps, with the types of its columns. */
  readonly value?: SetValue
  /** What was done, where it goes no further: files that are copied stay. Nothing where it is not set. */
  readonly effect?: string
  /** Columns that were found at the source; types where it has them. */
  readonly sourceColumns?: readonly { readonly name: string; readonly type?: string }[]
}

export function emptyOutcome(): StepOutcome & { counts: Counts; bytes: number; rejectFile: string | null } {
  return {
    counts: noRows,
    bytes: 0,
    statements: [],
    files: [],
    rejectReasons: {},
    checks: [],
    rejectFile: null,
    log: [],
    tries: [],
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

export const stopped = (): StepFault =>
  new StepFault({ code: 'stopped', message: 'stopped', effect: nothingWritten, advice: 'rerun it' })

export function stepFault(code: string, message: string, advice: string, rows?: LoadError['rows']): never {
  throw new StepFault({ code, message, effect: nothingWritten, advice, ...(rows ? { rows } : {}) })
}

/** Runs a statement and keeps it, its values and its time for the record; one that failed too, with what was said. */
export async function recorded(
  client: pg.ClientBase,
  outcome: Outcome,
  on: string,
  text: string,
  values: readonly unknown[] = [],
): Promise<pg.QueryResult> {
  const start = performance.now()
  const keep = (end: Pick<StatementRecord, 'rows' | 'error'>): void =>
    void outcome.statements.push({
      on,
      text,
      ...(values.length > 0 ? { values } : {}),
      ...end,
      milliseconds: Math.round((performance.now() - start) * 10) / 10,
    })
  try {
    const result = await client.query(text, values as unknown[])
    keep(result.rowCount === null ? {} : { rows: result.rowCount })
    return result
  } catch (error) {
    keep({ error: (error as Error).message })
    throw error
  }
}
