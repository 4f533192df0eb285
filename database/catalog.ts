import { sql } from 'drizzle-orm'
import { bigint, bigserial, boolean, index, integer, jsonb, primaryKey, serial, text, uniqueIndex } from 'drizzle-orm/pg-core' // prettier-ignore
import type { SchemaChange } from '../core/catalog/compare'
import type { ColumnEdits, NewColumns } from '../core/catalog/edits'
import type { FileFormat, FoundColumn, FoundDataset, Stray } from '../core/catalog/found'
import type { FileHead } from '../core/plan/types'
import type { ValueClass } from '../core/catalog/valueClass'
import { created, mattock, when } from './columns'

/** One table, or one folder of like files, as it is in one environment. */
export const dataset = mattock.table(
  'dataset',
  {
    id: serial('id').primaryKey(),
    environment: text('environment').notNull(),
    connection: text('connection').notNull(),
    /** Its place within the connection; stays when the name is changed. */
    locator: text('locator').notNull(),
    /** What the places of its rows begin with: the table itself, or the part of a path that does not vary. */
    start: text('start').notNull(),
    kind: text('kind').$type<FoundDataset['kind']>().notNull(),
    name: text('name').notNull(),
    description: text('description').notNull().default(''),
    owner: text('owner').notNull().default(''),
    tags: text('tags')
      .array()
      .notNull()
      .default(sql`'{}'`),
    /** The key a person gave; null: the one that was found. */
    keyByHand: text('key_by_hand').array(),
    keyFound: text('key_found')
      .array()
      .notNull()
      .default(sql`'{}'`),
    newColumns: text('new_columns').$type<NewColumns>().notNull().default('hold'),
    edits: jsonb('edits').$type<ColumnEdits>().notNull().default({}),
    /** The newest version's columns, as found. */
    columns: jsonb('columns').$type<FoundColumn[]>().notNull(),
    version: integer('version').notNull().default(1),
    format: jsonb('format').$type<FileFormat | null>(),
    files: integer('files'),
    bytes: bigint('bytes', { mode: 'number' }),
    rows: bigint('rows', { mode: 'number' }),
    estimated: boolean('estimated').notNull().default(false),
    /** Columns that nobody has named yet. */
    unnamed: integer('unnamed').notNull().default(0),
    /** What the last survey found and nobody has accepted. */
    waits: jsonb('waits').$type<SchemaChange | null>(),
    /** Who may only look sees that it is there, and none of its rows. */
    closed: boolean('closed').notNull().default(false),
    /** Not found by the last survey of its place. */
    goneAt: when('gone_at'),
    surveyedAt: when('surveyed_at').notNull(),
    createdAt: created(),
    /** Name, description, owner, tags, columns: what the search looks through, in lower case. */
    search: text('search').notNull().default(''),
  },
  (t) => [uniqueIndex().on(t.environment, t.connection, t.locator), index().on(t.environment, t.name)],
)

/** Every schema a dataset had. */
export const datasetVersion = mattock.table(
  'dataset_version',
  {
    datasetId: integer('dataset_id')
      .notNull()
      .references(() => dataset.id, { onDelete: 'cascade' }),
    version: integer('version').notNull(),
    columns: jsonb('columns').$type<FoundColumn[]>().notNull(),
    at: when('at').notNull(),
    by: text('by').notNull(),
    surveyId: integer('survey_id'),
  },
  (t) => [primaryKey({ columns: [t.datasetId, t.version] })],
)

/** Rows and bytes of a dataset at each survey that found another number. */
export const datasetCount = mattock.table(
  'dataset_count',
  {
    datasetId: integer('dataset_id')
      .notNull()
      .references(() => dataset.id, { onDelete: 'cascade' }),
    at: when('at').notNull(),
    rows: bigint('rows', { mode: 'number' }),
    bytes: bigint('bytes', { mode: 'number' }),
    files: integer('files'),
  },
  (t) => [primaryKey({ columns: [t.datasetId, t.at] })],
)

/** Columns of one table in a file, with the classes of their values. */
export interface TableShape {
  readonly format: FileFormat
  readonly unnamed: boolean
  readonly rows: number | null
  readonly estimated: boolean
  /** Lines that no reader can take, such as one with too many fields. */
  readonly broken: number
  readonly columns: readonly {
    readonly name: string
    readonly native?: string
    readonly counts: Partial<Record<ValueClass, number>>
    readonly longest: number
  }[]
}

/** What a survey read of a file; while size and time stay, it need not be read again. */
export const fileShape = mattock.table(
  'file_shape',
  {
    environment: text('environment').notNull(),
    connection: text('connection').notNull(),
    path: text('path').notNull(),
    size: bigint('size', { mode: 'number' }).notNull(),
    modified: text('modified').notNull(),
    tables: jsonb('tables').$type<TableShape[]>().notNull(),
    /** Why it is no table, or none that can be read. */
    fault: text('fault'),
    /** Datasets that it belongs to. */
    datasets: integer('datasets')
      .array()
      .notNull()
      .default(sql`'{}'`),
  },
  (t) => [
    primaryKey({ columns: [t.environment, t.connection, t.path] }),
    index('file_shape_datasets').using('gin', t.datasets),
  ],
)

/** What the beginning of a file showed, by the way in which it is read; while size and time stay, it holds. */
export const fileHead = mattock.table(
  'file_head',
  {
    environment: text('environment').notNull(),
    connection: text('connection').notNull(),
    path: text('path').notNull(),
    /** A digest of the way of reading. */
    reading: text('reading').notNull(),
    size: bigint('size', { mode: 'number' }).notNull(),
    modified: text('modified').notNull(),
    /** Names of its columns; null where it has none, or they are not known. */
    header: text('header').array(),
    head: jsonb('head').$type<FileHead>().notNull(),
    lookedAt: when('looked_at')
      .notNull()
      .default(sql`clock_timestamp()`),
  },
  (t) => [primaryKey({ columns: [t.environment, t.connection, t.path, t.reading] })],
)

/** Where a survey looks, and how it names what it finds. */
export interface SurveyScope {
  /** Patterns of paths, or of `schema.table`; `*` stands for any letters. Empty: everything. */
  readonly include: readonly string[]
  readonly exclude: readonly string[]
  /** Put before the name of each new dataset. */
  readonly prefix: string
}

export interface SurveyProgress {
  readonly seen: number
  readonly total: number
  /** Files whose earlier reading could be used. */
  readonly reused: number
  readonly bytes: number
}

export const survey = mattock.table(
  'survey',
  {
    id: serial('id').primaryKey(),
    environment: text('environment').notNull(),
    connection: text('connection').notNull(),
    scope: jsonb('scope').$type<SurveyScope>().notNull(),
    state: text('state').$type<SurveyState>().notNull().default('waiting'),
    stopping: boolean('stopping').notNull().default(false),
    /** What it found is taken over by the datasets' rules, without a person. */
    unattended: boolean('unattended').notNull().default(false),
    worker: integer('worker'),
    attempt: integer('attempt').notNull().default(0),
    /** The load and its step that began it; both null where a person did. */
    calledByLoad: bigint('called_by_load', { mode: 'number' }),
    calledByStep: text('called_by_step'),
    by: text('by').notNull(),
    createdAt: created(),
    startedAt: when('started_at'),
    endedAt: when('ended_at'),
    progress: jsonb('progress').$type<SurveyProgress>(),
    strays: jsonb('strays').$type<Stray[]>().notNull().default([]),
    /** Datasets that were found as they are known. */
    same: integer('same').notNull().default(0),
    fault: text('fault'),
  },
  (t) => [
    index().on(t.connection, t.createdAt.desc()),
    uniqueIndex('survey_called_by')
      .on(t.calledByLoad, t.calledByStep)
      .where(sql`called_by_load is not null`),
  ],
)

export type SurveyState = 'waiting' | 'running' | 'done' | 'failed' | 'stopped'

/** Something a survey would change in the catalog. */
export const surveyProposal = mattock.table(
  'survey_proposal',
  {
    surveyId: integer('survey_id')
      .notNull()
      .references(() => survey.id, { onDelete: 'cascade' }),
    number: integer('number').notNull(),
    kind: text('kind').$type<'new' | 'changed' | 'gone'>().notNull(),
    datasetId: integer('dataset_id'),
    found: jsonb('found').$type<FoundDataset | null>(),
    change: jsonb('change').$type<SchemaChange | null>(),
    paths: jsonb('paths').$type<string[]>().notNull().default([]),
    decided: text('decided').$type<'accepted' | 'left'>(),
  },
  (t) => [primaryKey({ columns: [t.surveyId, t.number] })],
)

/** The newest profile of a dataset; made on demand by a worker. */
export const datasetProfile = mattock.table('dataset_profile', {
  datasetId: integer('dataset_id')
    .primaryKey()
    .references(() => dataset.id, { onDelete: 'cascade' }),
  state: text('state').$type<SurveyState>().notNull().default('waiting'),
  askedAt: when('asked_at').notNull(),
  startedAt: when('started_at'),
  endedAt: when('ended_at'),
  rows: bigint('rows', { mode: 'number' }),
  columns: jsonb('columns').$type<ColumnProfile[]>().notNull().default([]),
  fault: text('fault'),
})

export interface ColumnProfile {
  readonly name: string
  readonly nulls: number
  /** Different values. */
  readonly distinct: number
  /** They are estimated, within some percent. */
  readonly estimated?: true
  readonly min: string | null
  readonly max: string | null
  /** Numbers only: mean and sample standard deviation. */
  readonly mean: number | null
  readonly deviation: number | null
  /** The commonest values and how often each comes. */
  readonly common: readonly { readonly value: string; readonly count: number }[]
  /** Numbers and times: twenty bins of the same width, each with its lower end and its count. */
  readonly bins: readonly { readonly from: string; readonly count: number }[]
}

/** What a load's step read and wrote; the newest says who reads and writes a dataset. */
export const touch = mattock.table(
  'touch',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    environment: text('environment').notNull(),
    connection: text('connection').notNull(),
    /** `schema.table`, a path in a store, or a path of a service. */
    locator: text('locator').notNull(),
    direction: text('direction').$type<'read' | 'write'>().notNull(),
    job: text('job').notNull(),
    runId: integer('run_id').notNull(),
    loadId: bigint('load_id', { mode: 'number' }).notNull(),
    step: text('step').notNull(),
    rows: bigint('rows', { mode: 'number' }).notNull(),
    at: when('at').notNull(),
  },
  (t) => [
    uniqueIndex().on(t.loadId, t.step, t.direction, t.locator),
    index('touch_place').on(t.environment, t.connection, t.locator.op('text_pattern_ops'), t.at.desc()),
    index('touch_job').on(t.job, t.environment, t.at.desc()),
  ],
)

/** The columns that a job's row last found at its source, for the finding schema-changed. */
export const readShape = mattock.table(
  'read_shape',
  {
    environment: text('environment').notNull(),
    job: text('job').notNull(),
    step: text('step').notNull(),
    rowKey: text('row_key').notNull(),
    columns: jsonb('columns').$type<{ name: string; type?: string }[]>().notNull(),
    runId: integer('run_id').notNull(),
    at: when('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.environment, t.job, t.step, t.rowKey] })],
)
