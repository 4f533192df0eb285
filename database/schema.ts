import type { RunState } from '../core/runState'
import type { FileRecord, KeptForAccount, LoadError, PlanMark, StatementRecord, StoredPart } from './records'
import { sql } from 'drizzle-orm'
import {
  bigint,
  bigserial,
  boolean,
  doublePrecision,
  index,
  integer,
  jsonb,
  primaryKey,
  serial,
  text,
  uniqueIndex,
} from 'drizzle-orm/pg-core'
import type { ConnectionKind } from '../core/connection/connection'
import type { CellRules } from '../core/control/rules'
import type { Forecast } from '../core/forecast/forecast'
import type { Finding } from '../core/plan/types'
import type { Resolved } from '../core/text/slot'
import type { Row } from '../core/value'
import { bytea, count, created, mattock, when } from './columns'

export { mattock } from './columns'
export * from './catalog'
export * from './records'
export * from './try'

export const account = mattock.table('account', {
  id: serial('id').primaryKey(),
  email: text('email').notNull().unique(),
  name: text('name').notNull(),
  role: text('role').$type<'engineer' | 'reader'>().notNull(),
  password: text('password').notNull(),
  /** What the pages keep for this person. */
  kept: jsonb('kept').$type<KeptForAccount>().notNull().default({ tables: {} }),
  createdAt: created(),
})

export const session = mattock.table(
  'session',
  {
    /** SHA-256 of the cookie's value, so that a copy of this table signs nobody in. */
    hash: text('hash').primaryKey(),
    accountId: integer('account_id')
      .notNull()
      .references(() => account.id, { onDelete: 'cascade' }),
    createdAt: created(),
    expiresAt: when('expires_at').notNull(),
  },
  (t) => [index().on(t.expiresAt)],
)

export const apiToken = mattock.table('api_token', {
  hash: text('hash').primaryKey(),
  accountId: integer('account_id')
    .notNull()
    .references(() => account.id, { onDelete: 'cascade' }),
  name: text('name').notNull(),
  createdAt: created(),
})

export const environment = mattock.table('environment', {
  name: text('name').primaryKey(),
  position: integer('position').notNull(),
  /** Drawn hatched, and asked about before a run. */
  live: boolean('live').notNull().default(false),
  values: jsonb('values').$type<Row>().notNull().default({}),
})

export const connection = mattock.table('connection', {
  name: text('name').primaryKey(),
  kind: text('kind').$type<ConnectionKind>().notNull(),
  title: text('title').notNull(),
  /** Loads that may use it at the same time; null for no cap. */
  cap: integer('cap'),
})

export const connectionSetting = mattock.table(
  'connection_setting',
  {
    connection: text('connection')
      .notNull()
      .references(() => connection.name, { onDelete: 'cascade', onUpdate: 'cascade' }),
    environment: text('environment')
      .notNull()
      .references(() => environment.name, { onDelete: 'cascade' }),
    settings: jsonb('settings').$type<Record<string, string | number>>().notNull(),
    /** AES-256-GCM: 12 bytes nonce, 16 bytes tag, text. Null where there is no secret. */
    secret: bytea('secret'),
    updatedAt: when('updated_at')
      .notNull()
      .default(sql`now()`),
    updatedBy: text('updated_by').notNull(),
  },
  (t) => [primaryKey({ columns: [t.connection, t.environment] })],
)

export const controlTable = mattock.table('control_table', {
  name: text('name').primaryKey(),
  title: text('title').notNull(),
  /** Null: in Mattock's own database. */
  connection: text('connection').references(() => connection.name),
  schema: text('schema').notNull(),
  table: text('table').notNull(),
  /** Rules by column. */
  rules: jsonb('rules').$type<Record<string, CellRules>>().notNull().default({}),
})

export const controlChange = mattock.table(
  'control_change',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    table: text('table').notNull(),
    rowKey: text('row_key').notNull(),
    at: when('at')
      .notNull()
      .default(sql`now()`),
    by: text('by').notNull(),
    before: jsonb('before').$type<Row | null>(),
    after: jsonb('after').$type<Row | null>(),
  },
  (t) => [index().on(t.table, t.id.desc())],
)

export const job = mattock.table('job', {
  name: text('name').primaryKey(),
  title: text('title').notNull(),
  createdAt: created(),
})

/** Immutable: a change is a new version. */
export const jobVersion = mattock.table(
  'job_version',
  {
    id: serial('id').primaryKey(),
    job: text('job')
      .notNull()
      .references(() => job.name),
    version: integer('version').notNull(),
    text: text('text').notNull(),
    message: text('message').notNull().default(''),
    by: text('by').notNull(),
    createdAt: created(),
  },
  (t) => [uniqueIndex().on(t.job, t.version)],
)

export const plan = mattock.table(
  'plan',
  {
    id: serial('id').primaryKey(),
    job: text('job').notNull(),
    versionId: integer('version_id')
      .notNull()
      .references(() => jobVersion.id),
    environment: text('environment').notNull(),
    createdAt: created(),
    by: text('by').notNull(),
    parameters: jsonb('parameters').$type<Row>().notNull(),
    only: text('only'),
    span: text('span'),
    /** Parts without their roster's rows, which are in the loads. */
    parts: jsonb('parts').$type<StoredPart[]>().notNull(),
    findings: jsonb('findings').$type<Finding[]>().notNull(),
    forecast: jsonb('forecast').$type<Forecast | null>(),
    loads: integer('loads').notNull(),
    /** What loads have in common: the connections they use, the codes of the findings about them. */
    marks: jsonb('marks').$type<PlanMark[]>().notNull().default([]),
  },
  (t) => [index().on(t.job, t.id.desc()), index().on(t.createdAt.desc())],
)

const ofPlan = () =>
  integer('plan_id')
    .notNull()
    .references(() => plan.id, { onDelete: 'cascade' })

/** A row of a part's roster, with what varies with the row alone. */
export const planRow = mattock.table(
  'plan_row',
  {
    planId: ofPlan(),
    part: integer('part').notNull(),
    row: integer('row').notNull(),
    key: text('key').notNull(),
    cells: jsonb('cells').$type<Row>().notNull(),
    resolved: jsonb('resolved').$type<(Resolved | null)[]>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.part, t.row] })],
)

export const planSlice = mattock.table(
  'plan_slice',
  {
    planId: ofPlan(),
    part: integer('part').notNull(),
    slice: integer('slice').notNull(),
    from: when('from').notNull(),
    to: when('to').notNull(),
    label: text('label').notNull(),
    resolved: jsonb('resolved').$type<(Resolved | null)[]>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.part, t.slice] })],
)

/** A load: which row and slice, and what varies with both. A plan of 300,000 loads is as many narrow rows. */
export const planLoad = mattock.table(
  'planned_load',
  {
    // no foreign key: checking it row by row would take longer than writing the rows; plans are deleted in one place
    planId: integer('plan_id').notNull(),
    number: integer('number').notNull(),
    part: integer('part').notNull(),
    /** Null in a part that runs once. */
    row: integer('row'),
    slice: integer('slice'),
    /** What a part that runs once is called. */
    title: text('title'),
    resolved: jsonb('resolved').$type<(Resolved | null)[]>(),
    /** Paths and bytes of its files; null where it reads none. */
    files: jsonb('files').$type<[path: string, bytes: number][] | null>(),
    /** Place in the plan's marks. */
    mark: integer('mark').notNull().default(0),
    left: boolean('left').notNull().default(false),
  },
  (t) => [primaryKey({ columns: [t.planId, t.number] })],
)

export const run = mattock.table(
  'run',
  {
    id: serial('id').primaryKey(),
    job: text('job').notNull(),
    title: text('title').notNull(),
    versionId: integer('version_id')
      .notNull()
      .references(() => jobVersion.id),
    planId: integer('plan_id')
      .notNull()
      .references(() => plan.id),
    environment: text('environment').notNull(),
    state: text('state').$type<RunState>().notNull(),
    /** The part that is under way. */
    part: integer('part').notNull().default(0),
    /** Loads of that part that may run at the same time. */
    atOnce: integer('at_once').notNull().default(1),
    /** Asked to stop: nothing new starts, what runs is broken off. */
    stopping: boolean('stopping').notNull().default(false),
    by: text('by').notNull(),
    cause: text('cause').notNull(),
    rerunOf: integer('rerun_of'),
    /** Lower goes first. */
    priority: integer('priority').notNull().default(0),
    /** Milliseconds that the run's clock stands apart from the real one; the demo's history has it. */
    clockOffset: bigint('clock_offset', { mode: 'number' }).notNull().default(0),
    createdAt: when('created_at').notNull(),
    startedAt: when('started_at'),
    endedAt: when('ended_at'),
  },
  (t) => [
    index().on(t.createdAt.desc()),
    index().on(t.job, t.createdAt.desc()),
    index().on(t.planId),
    index('run_active')
      .on(t.priority, t.id)
      .where(sql`state = 'running'`),
  ],
)

export const load = mattock.table(
  'load',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    runId: integer('run_id')
      .notNull()
      .references(() => run.id, { onDelete: 'cascade' }),
    /** Its number in the plan. */
    number: integer('number').notNull(),
    part: integer('part').notNull(),
    each: boolean('each').notNull(),
    key: text('key').notNull(),
    rowKey: text('row_key'),
    sliceFrom: when('slice_from'),
    sliceTo: when('slice_to'),
    sliceLabel: text('slice_label'),
    connections: text('connections').array().notNull(),
    state: text('state').$type<RunState>().notNull().default('waiting'),
    attempt: integer('attempt').notNull().default(0),
    worker: integer('worker'),
    startedAt: when('started_at'),
    endedAt: when('ended_at'),
    read: count('read'),
    written: count('written'),
    unchanged: count('unchanged'),
    rejected: count('rejected'),
    filtered: count('filtered'),
    bytes: count('bytes'),
    /** Why it failed or was skipped. */
    error: jsonb('error').$type<LoadError | null>(),
    cause: text('cause'),
    /** For a rerun: the load of the earlier run that it repeats. */
    repeats: bigint('repeats', { mode: 'number' }),
  },
  (t) => [
    uniqueIndex().on(t.runId, t.number),
    index().on(t.key),
    index('load_waiting')
      .on(t.runId, t.part, t.number)
      .where(sql`state = 'waiting'`),
    index('load_active')
      .on(t.runId)
      .where(sql`state in ('ready', 'running')`),
  ],
)

export const loadStep = mattock.table(
  'load_step',
  {
    loadId: bigint('load_id', { mode: 'number' })
      .notNull()
      .references(() => load.id, { onDelete: 'cascade' }),
    position: integer('position').notNull(),
    attempt: integer('attempt').notNull(),
    step: text('step').notNull(),
    kind: text('kind').notNull(),
    state: text('state').$type<RunState>().notNull(),
    startedAt: when('started_at').notNull(),
    endedAt: when('ended_at'),
    read: count('read'),
    written: count('written'),
    unchanged: count('unchanged'),
    rejected: count('rejected'),
    filtered: count('filtered'),
    bytes: count('bytes'),
    statements: jsonb('statements').$type<StatementRecord[]>().notNull().default([]),
    files: jsonb('files').$type<FileRecord[]>().notNull().default([]),
    rejectReasons: jsonb('reject_reasons').$type<Record<string, number>>().notNull().default({}),
    /** Path of the rejects in the data folder's rejects/, null where there are none. */
    rejectFile: text('reject_file'),
    log: jsonb('log').$type<string[]>().notNull().default([]),
  },
  (t) => [primaryKey({ columns: [t.loadId, t.position] })],
)

/** The newest loading of each file into each target, for `already-loaded`. */
export const loadedFile = mattock.table(
  'loaded_file',
  {
    environment: text('environment').notNull(),
    store: text('store').notNull(),
    path: text('path').notNull(),
    target: text('target').notNull(),
    size: bigint('size', { mode: 'number' }).notNull(),
    modified: text('modified').notNull(),
    sha256: text('sha256').notNull(),
    runId: integer('run_id').notNull(),
    at: when('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.environment, t.store, t.path, t.target] })],
)

export const worker = mattock.table('worker', {
  id: serial('id').primaryKey(),
  host: text('host').notNull(),
  pid: integer('pid').notNull(),
  capacity: integer('capacity').notNull(),
  startedAt: when('started_at')
    .notNull()
    .default(sql`now()`),
  beatAt: when('beat_at')
    .notNull()
    .default(sql`now()`),
  /** Largest resident memory it has seen, in bytes. */
  memory: bigint('memory', { mode: 'number' }).notNull().default(0),
  load: doublePrecision('load').notNull().default(0),
})

/** Facts about this installation, such as its id. */
export const installation = mattock.table('installation', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  createdAt: created(),
})
