import type { StepKind } from '../core/job/steps'
import { bigint, boolean, index, integer, jsonb, primaryKey, serial, text } from 'drizzle-orm/pg-core'
import type { Counts } from '../core/balance/balance'
import type { Resolved, Slot } from '../core/text/slot'
import type { Slice } from '../core/slice/slices'
import type { Row, ValueType } from '../core/value'
import { created, mattock, when } from './columns'
import type { RunState } from '../core/runState'
import type { FileRecord, LoadError, StatementRecord, SetValue } from './records'

/** One load as a try runs it, worked out when it was asked for. */
export interface TryLoad {
  readonly key: string
  readonly part: number
  readonly row: Row | null
  readonly types: Record<string, ValueType>
  readonly slice: Slice | null
  /** Every text of its steps with what it came to. */
  readonly texts: readonly { readonly slot: Slot; readonly resolved: Resolved }[]
}

/** A table of the scratch schema that stands in for a real one. */
export interface StandIn {
  readonly database: string
  /** `schema.table` of the real one. */
  readonly table: string
  readonly name: string
  /** Were its rows copied, or found too many, or none to copy? */
  filled: boolean
}

/** What a try has made so far: kept over a hold. */
export interface AsideState {
  /** Databases with a scratch schema, and a connection that leads there. */
  readonly databases: { readonly id: string; readonly connection: string }[]
  readonly tables: StandIn[]
  /** File stores that it wrote to, in a folder of its own. */
  readonly stores: string[]
}

/** The first rows that went into a step or came out of it. */
export interface TryLook {
  readonly side: 'in' | 'out'
  readonly title: string
  readonly columns: readonly { readonly name: string; readonly type?: string }[]
  readonly rows: readonly (readonly (string | null)[])[]
  /** Rows of the table before and after the step. */
  readonly before?: number
  readonly after?: number
}

/** A few loads of a document, saved or not, run apart from everything real. */
export const tryTable = mattock.table(
  'try',
  {
    id: serial('id').primaryKey(),
    job: text('job').notNull(),
    title: text('title').notNull(),
    environment: text('environment').notNull(),
    document: text('document').notNull(),
    /** What was asked for, to ask again. */
    ask: jsonb('ask').$type<TryAskRecord>().notNull(),
    parameters: jsonb('parameters').$type<Row>().notNull(),
    loads: jsonb('loads').$type<TryLoad[]>().notNull(),
    state: text('state').$type<RunState>().notNull().default('waiting'),
    stopping: boolean('stopping').notNull().default(false),
    worker: integer('worker'),
    /** Place of the next step. */
    next: integer('next').notNull().default(0),
    aside: jsonb('aside').$type<AsideState>().notNull(),
    /** Why it ended, where that was not a step's own fault. */
    fault: text('fault'),
    by: text('by').notNull(),
    createdAt: created(),
    endedAt: when('ended_at'),
    /** When what it had written aside was taken away. */
    clearedAt: when('cleared_at'),
  },
  (t) => [index().on(t.job, t.createdAt)],
)

/** What a person asked to be tried. */
export interface TryAskRecord {
  readonly part: number
  /** Keys of the rows; empty for a part that runs once. */
  readonly rows: readonly string[]
  readonly slice?: string | undefined
  /** Id of the last step to run; the part's last where it is left out. */
  readonly until?: string | undefined
  /** Ids of steps to stop after, for a look. */
  readonly holds: readonly string[]
  readonly parameters: Row
}

export const tryStep = mattock.table(
  'try_step',
  {
    tryId: integer('try_id')
      .notNull()
      .references(() => tryTable.id, { onDelete: 'cascade' }),
    position: integer('position').notNull(),
    /** Index into the try's loads. */
    load: integer('load').notNull(),
    step: text('step').notNull(),
    title: text('title').notNull(),
    kind: text('kind').$type<StepKind>().notNull(),
    /** Stops for a look after it. */
    hold: boolean('hold').notNull(),
    state: text('state').$type<RunState>().notNull().default('waiting'),
    milliseconds: bigint('milliseconds', { mode: 'number' }),
    counts: jsonb('counts').$type<Counts | null>(),
    statements: jsonb('statements').$type<StatementRecord[]>().notNull().default([]),
    files: jsonb('files').$type<FileRecord[]>().notNull().default([]),
    rejectReasons: jsonb('reject_reasons').$type<Record<string, number>>().notNull().default({}),
    log: jsonb('log').$type<string[]>().notNull().default([]),
    /** What it gives to later steps. */
    value: jsonb('value').$type<SetValue | null>(),
    error: jsonb('error').$type<Omit<LoadError, 'step'> | null>(),
    looks: jsonb('looks').$type<TryLook[]>().notNull().default([]),
  },
  (t) => [primaryKey({ columns: [t.tryId, t.position] })],
)
