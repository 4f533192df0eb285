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
import type { RerunFrom } from '../core/run/again'
import type { RunState } from '../core/runState'
import { bytea, count, mattock, when } from './columns'
import type {
  CheckRecord,
  FileRecord,
  LetGo,
  LoadError,
  MendedRow,
  ReadAs,
  SetValue,
  StatementRecord,
  StepTry,
} from './records'
import { jobVersion } from './jobs'
import { plan } from './plans'

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
    /** Held by whom, or why: nothing new begins. */
    heldBy: text('held_by'),
    /** Asked to stop: nothing new starts, what runs is broken off. */
    stopping: boolean('stopping').notNull().default(false),
    by: text('by').notNull(),
    cause: text('cause').notNull(),
    /** Made up by whoever pressed: the same press asked for twice is one run. */
    press: text('press'),
    rerunOf: integer('rerun_of'),
    /** For a rerun: the step that its loads begin at; null where they begin at their first. */
    rerunFrom: jsonb('rerun_from').$type<RerunFrom | null>(),
    /** The load and its step that began it; both null where somebody or something else did. */
    calledByLoad: bigint('called_by_load', { mode: 'number' }),
    calledByStep: text('called_by_step'),
    /** The time of a start that began it; null where somebody or something else did. */
    occasionId: bigint('occasion_id', { mode: 'number' }),
    /** Lower goes first. */
    priority: integer('priority').notNull().default(0),
    /** Milliseconds that the run's clock stands apart from the real one; the demo's history has it. */
    clockOffset: bigint('clock_offset', { mode: 'number' }).notNull().default(0),
    /** Made for the demo's past: nothing begins after it. */
    past: boolean('past').notNull().default(false),
    createdAt: when('created_at').notNull(),
    startedAt: when('started_at'),
    endedAt: when('ended_at'),
  },
  (t) => [
    index().on(t.createdAt.desc()),
    index().on(t.job, t.createdAt.desc()),
    index().on(t.planId),
    uniqueIndex('run_press').on(t.planId, t.press),
    uniqueIndex('run_called_by')
      .on(t.calledByLoad, t.calledByStep)
      .where(sql`called_by_load is not null`),
    uniqueIndex('run_occasion')
      .on(t.occasionId)
      .where(sql`occasion_id is not null`),
    index('run_rerun_of')
      .on(t.rerunOf)
      .where(sql`rerun_of is not null`),
    index('run_active')
      .on(t.priority, t.id)
      .where(sql`state = 'running'`),
  ],
)

const ofRun = () =>
  integer('run_id')
    .notNull()
    .references(() => run.id, { onDelete: 'cascade' })

/** A part of a run, with its loads counted: whoever moves a load counts it here, in the same transaction. */
export const runPart = mattock.table(
  'run_part',
  {
    runId: ofRun(),
    part: integer('part').notNull(),
    id: text('id'),
    /** The parts that it waits for. */
    waits: integer('waits').array().notNull(),
    /** On which end of theirs it begins: done, failed, ended, or an expression. */
    when: text('when').notNull().default('done'),
    /** The run stops after it for a look. */
    hold: boolean('hold').notNull().default(false),
    /** Loads of it that may run at the same time. */
    atOnce: integer('at_once').notNull().default(1),
    state: text('state').$type<RunState | 'asking'>().notNull().default('waiting'),
    /** Skipped since its own condition did not hold; what waits for it goes on. */
    passed: boolean('passed').notNull().default(false),
    /** When a worker was asked what its expression gives, by the real clock. */
    askedAt: when('asked_at'),
    startedAt: when('started_at'),
    endedAt: when('ended_at'),
    waiting: integer('waiting').notNull().default(0),
    running: integer('running').notNull().default(0),
    held: integer('held').notNull().default(0),
    done: integer('done').notNull().default(0),
    failed: integer('failed').notNull().default(0),
    skipped: integer('skipped').notNull().default(0),
    stopped: integer('stopped').notNull().default(0),
    /** Waiting loads that a person let go before their part began. */
    letGo: integer('let_go').notNull().default(0),
    read: count('read'),
    written: count('written'),
    unchanged: count('unchanged'),
    rejected: count('rejected'),
    filtered: count('filtered'),
    merged: count('merged'),
    bytes: count('bytes'),
    /** Loads whose rows do not balance. */
    unbalanced: integer('unbalanced').notNull().default(0),
  },
  (t) => [
    primaryKey({ columns: [t.runId, t.part] }),
    index('run_part_open')
      .on(t.runId, t.part)
      .where(sql`state = 'running' or let_go > 0`),
  ],
)

/** Loads of a part that use the same connections, so that those that find no place are passed over together. */
export const runLane = mattock.table(
  'run_lane',
  {
    runId: ofRun(),
    part: integer('part').notNull(),
    lane: integer('lane').notNull(),
    connections: text('connections').array().notNull(),
    waiting: integer('waiting').notNull().default(0),
  },
  (t) => [primaryKey({ columns: [t.runId, t.part, t.lane] })],
)

export const load = mattock.table(
  'load',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    runId: ofRun(),
    /** Its number in the plan. */
    number: integer('number').notNull(),
    part: integer('part').notNull(),
    each: boolean('each').notNull(),
    key: text('key').notNull(),
    rowKey: text('row_key'),
    sliceFrom: when('slice_from'),
    sliceTo: when('slice_to'),
    sliceLabel: text('slice_label'),
    /** Which connections it uses; `-1 - lane` while it waits for what is not of this run, so that no worker looks at it. */
    lane: integer('lane').notNull().default(0),
    /** Lower goes before others of its part. */
    rank: integer('rank').notNull().default(0),
    /** What it waits for before it begins, or waited for; while it does, its lane is below 0. */
    waitSet: bigint('wait_set', { mode: 'number' }),
    /** By whom it was let go before its part began, and why. */
    letGo: jsonb('let_go').$type<LetGo | null>(),
    state: text('state').$type<RunState>().notNull().default('waiting'),
    attempt: integer('attempt').notNull().default(0),
    worker: integer('worker'),
    /** When the worker took it, by the real clock. */
    takenAt: when('taken_at'),
    /** Workers that ended while running it; from two on it is run apart. */
    deaths: integer('deaths').notNull().default(0),
    /** What it had behind it when a worker last ended with it: positions of steps, between blanks. */
    diedIn: text('died_in'),
    /** Workers that ended there and are not counted among `deaths`, since others ran beside it. */
    unblamed: integer('unblamed').notNull().default(0),
    /** What it is waiting for within a step, in words; null while it works. */
    waitsFor: text('waits_for'),
    /** The run that one of its steps began: until it has ended the load has no worker, and uses no connection. */
    awaits: integer('awaits'),
    /** The attempt that stopped to wait for a run: what it recorded stands. */
    yielded: integer('yielded'),
    startedAt: when('started_at'),
    endedAt: when('ended_at'),
    read: count('read'),
    written: count('written'),
    unchanged: count('unchanged'),
    rejected: count('rejected'),
    filtered: count('filtered'),
    merged: count('merged'),
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
      .on(t.runId, t.part, t.lane, t.rank, t.number)
      .where(sql`state = 'waiting'`),
    index('load_undone')
      .on(t.runId, t.number)
      .where(sql`state in ('failed', 'skipped', 'stopped')`),
    index('load_let_go')
      .on(t.runId, t.part, t.rank, t.number)
      .where(sql`state = 'waiting' and let_go is not null`),
    index('load_running')
      .on(t.worker)
      .where(sql`state = 'running'`),
    index('load_wait_set')
      .on(t.waitSet)
      .where(sql`wait_set is not null`),
    index('load_open_slice')
      .on(t.runId, t.sliceFrom)
      .where(sql`state in ('waiting', 'running', 'held') and slice_from is not null`),
    index('load_awaits')
      .on(t.awaits)
      .where(sql`awaits is not null`),
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
    merged: count('merged'),
    bytes: count('bytes'),
    statements: jsonb('statements').$type<StatementRecord[]>().notNull().default([]),
    files: jsonb('files').$type<FileRecord[]>().notNull().default([]),
    rejectReasons: jsonb('reject_reasons').$type<Record<string, number>>().notNull().default({}),
    checks: jsonb('checks').$type<CheckRecord[]>().notNull().default([]),
    /** What it failed with. */
    error: jsonb('error').$type<Omit<LoadError, 'step'> | null>(),
    /** Tries of it that failed, and after which it was tried again. */
    tries: jsonb('tries').$type<StepTry[]>().notNull().default([]),
    /** The transaction in the target that its rows bear; null where it wrote none. */
    writtenIn: text('written_in'),
    /** The load of an earlier run that did it: a rerun from a later step keeps it. */
    keptFrom: bigint('kept_from', { mode: 'number' }),
    /** Checks among them that do not hold. */
    broken: integer('broken').notNull().default(0),
    /** Path of the rejects in the data folder's rejects/, null where there are none. */
    rejectFile: text('reject_file'),
    /** How the rows were read that were rejected. */
    readAs: jsonb('read_as').$type<ReadAs | null>(),
    log: jsonb('log').$type<string[]>().notNull().default([]),
    /** What it gives to later steps. */
    value: jsonb('value').$type<SetValue | null>(),
  },
  (t) => [
    primaryKey({ columns: [t.loadId, t.position] }),
    index('load_step_broken')
      .on(t.loadId)
      .where(sql`broken > 0`),
  ],
)

/** Attempts of a load that came to no end of its own, before the one that its row tells of. */
export const loadAttempt = mattock.table(
  'load_attempt',
  {
    loadId: bigint('load_id', { mode: 'number' })
      .notNull()
      .references(() => load.id, { onDelete: 'cascade' }),
    attempt: integer('attempt').notNull(),
    worker: integer('worker'),
    host: text('host'),
    takenAt: when('taken_at'),
    endedAt: when('ended_at').notNull(),
    /** Why it ended, in words. */
    why: text('why').notNull(),
  },
  (t) => [primaryKey({ columns: [t.loadId, t.attempt] })],
)

/** Rejected rows that a person mended, which a run brings in. */
export const mended = mattock.table(
  'mended',
  {
    runId: ofRun().primaryKey(),
    /** The load and its step that rejected them. */
    loadId: bigint('load_id', { mode: 'number' })
      .notNull()
      .references(() => load.id, { onDelete: 'cascade' }),
    step: text('step').notNull(),
    rows: jsonb('rows').$type<MendedRow[]>().notNull(),
  },
  (t) => [index().on(t.loadId, t.step)],
)

/** Rejects of a worker whose data folder is not the server's, packed with gzip, in pieces. */
export const rejectFile = mattock.table(
  'reject_file',
  {
    loadId: bigint('load_id', { mode: 'number' })
      .notNull()
      .references(() => load.id, { onDelete: 'cascade' }),
    step: text('step').notNull(),
    piece: integer('piece').notNull(),
    content: bytea('content').notNull(),
  },
  (t) => [primaryKey({ columns: [t.loadId, t.step, t.piece] })],
)

/** Files that a step means to take away, kept before the first is gone: who goes on for it finds only what is left. */
export const takeAway = mattock.table(
  'take_away',
  {
    loadId: bigint('load_id', { mode: 'number' })
      .notNull()
      .references(() => load.id, { onDelete: 'cascade' }),
    step: text('step').notNull(),
    files: jsonb('files')
      .$type<Pick<FileRecord, 'path' | 'size' | 'modified' | 'sha256' | 'at'>[]>()
      .notNull(),
  },
  (t) => [primaryKey({ columns: [t.loadId, t.step] })],
)

/** How marks moved: by loads, and by hand with a reason. The marks themselves lie in the targets. */
export const markMove = mattock.table(
  'mark_move',
  {
    id: serial('id').primaryKey(),
    environment: text('environment').notNull(),
    /** Connection of the target. */
    connection: text('connection').notNull(),
    name: text('name').notNull(),
    from: text('from'),
    to: text('to'),
    /** The job, run, load and step that moved it; null where a person did. */
    job: text('job'),
    runId: integer('run_id'),
    loadId: bigint('load_id', { mode: 'number' }),
    step: text('step'),
    by: text('by'),
    why: text('why'),
    at: when('at').notNull(),
  },
  (t) => [
    index().on(t.environment, t.connection, t.name, t.id.desc()),
    index().on(t.job, t.environment),
    uniqueIndex('mark_move_once')
      .on(t.loadId, t.step)
      .where(sql`load_id is not null`),
  ],
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
  /** What it reaches, beside what every worker does. */
  tags: text('tags')
    .array()
    .notNull()
    .default(sql`'{}'`),
  /** It takes nothing more. */
  draining: boolean('draining').notNull().default(false),
  /** Of which Mattock it is. */
  version: text('version').notNull().default(''),
  /** Loads that it ended in the last hour. */
  lastHour: integer('last_hour').notNull().default(0),
  /** Loads that it works on, as it said at its last beat. */
  holding: bigint('holding', { mode: 'number' })
    .array()
    .notNull()
    .default(sql`'{}'`),
  /** When it said so. */
  heldAt: when('held_at')
    .notNull()
    .default(sql`now()`),
})

/** Slices that were ever loaded, so that a plan need not look through a job's whole history. */
export const loadedSlice = mattock.table(
  'loaded_slice',
  {
    job: text('job').notNull(),
    environment: text('environment').notNull(),
    from: when('slice_from').notNull(),
    to: when('slice_to').notNull(),
    /** A run of all rows took it, not only one of some that were picked. */
    whole: boolean('whole').notNull().default(false),
  },
  (t) => [
    primaryKey({ columns: [t.job, t.environment, t.from, t.to] }),
    index().on(t.job, t.environment, t.to.desc()),
  ],
)

/**
 * What became of each row and slice: the load that ended last, and the one that loaded it last. One row however often it
 * was loaded, and kept though its loads are not, so that a page over years need not look through a history.
 */
export const coverage = mattock.table(
  'coverage',
  {
    job: text('job').notNull(),
    environment: text('environment').notNull(),
    /** Its id, or `#` and its number. */
    part: text('part').notNull(),
    rowKey: text('row_key').notNull(),
    from: when('slice_from').notNull(),
    to: when('slice_to').notNull(),
    label: text('slice_label').notNull(),
    /** Of the load that ended last. */
    state: text('state').$type<'done' | 'failed' | 'skipped' | 'stopped'>().notNull(),
    endedAt: when('ended_at').notNull(),
    loadId: bigint('load_id', { mode: 'number' }).notNull(),
    runId: integer('run_id').notNull(),
    /** Of the load that was done last; null where none was. */
    loadedAt: when('loaded_at'),
    loadedBy: bigint('loaded_by', { mode: 'number' }),
    /** Rows that it found or put in the target: written, unchanged and merged. */
    rows: bigint('rows', { mode: 'number' }).notNull().default(0),
    read: bigint('read', { mode: 'number' }).notNull().default(0),
    rejected: bigint('rejected', { mode: 'number' }).notNull().default(0),
    /** Loads of it that came to an end. */
    loads: integer('loads').notNull().default(1),
  },
  (t) => [
    primaryKey({ columns: [t.job, t.environment, t.part, t.rowKey, t.from, t.to] }),
    index('coverage_slice').on(t.environment, t.job, t.from, t.to),
    index('coverage_loaded').on(t.environment, t.loadedAt.desc()),
  ],
)
