import { sql } from 'drizzle-orm'
import {
  bigserial,
  doublePrecision,
  index,
  integer,
  jsonb,
  primaryKey,
  serial,
  text,
  uniqueIndex,
} from 'drizzle-orm/pg-core'
import type { ArrivalAnswerKind } from '../core/arrivals/answers'
import type { StartKind } from '../core/job/starts'
import type { PlanPick } from '../core/plan/types'
import type { Again } from '../core/schedule/pause'
import type { Row } from '../core/value'
import { environment } from './connections'
import { bytea, mattock, when } from './columns'
import type { SeenRefresh } from './records'

const inEnvironment = () =>
  text('environment')
    .notNull()
    .references(() => environment.name, { onDelete: 'cascade' })

/** A start of the newest version of a job, in an environment: how far its times were decided. */
export const startState = mattock.table(
  'start_state',
  {
    environment: inEnvironment(),
    job: text('job').notNull(),
    start: text('start').notNull(),
    kind: text('kind').$type<StartKind>().notNull(),
    versionId: integer('version_id').notNull(),
    /** What decides its times: one that was changed counts anew from the change. */
    fingerprint: text('fingerprint').notNull(),
    /** Its times up to here are decided. */
    since: when('since').notNull(),
    /** When it is looked at next; null where time does not decide, or it is paused for good. */
    nextAt: when('next_at'),
  },
  (t) => [
    primaryKey({ columns: [t.environment, t.job, t.start] }),
    index('start_state_next')
      .on(t.nextAt)
      .where(sql`next_at is not null`),
  ],
)

/** What of those that a start waits for has come since it last began. */
export const startSeen = mattock.table(
  'start_seen',
  {
    environment: inEnvironment(),
    job: text('job').notNull(),
    start: text('start').notNull(),
    dataset: text('dataset').notNull(),
    runId: integer('run_id').notNull(),
    at: when('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.environment, t.job, t.start, t.dataset] })],
)

export const occasionStates = ['due', 'started', 'skipped', 'failed', 'paused'] as const
export type OccasionState = (typeof occasionStates)[number]

/** One time that a start came, what was decided about it, and why. */
export const occasion = mattock.table(
  'occasion',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    environment: inEnvironment(),
    job: text('job').notNull(),
    start: text('start').notNull(),
    kind: text('kind').$type<StartKind>().notNull(),
    /** What makes it this one and no other: of two who decide about it, one does. */
    key: text('key').notNull(),
    at: when('at').notNull(),
    state: text('state').$type<OccasionState>().notNull(),
    /** What it came by, in words. */
    cause: text('cause').notNull(),
    why: text('why'),
    /** The slices that it takes. */
    from: when('from'),
    to: when('to'),
    parameters: jsonb('parameters').$type<Row>().notNull().default({}),
    /** The rows and slices that it takes; null for all rows of its slices. */
    picks: jsonb('picks').$type<readonly PlanPick[] | null>(),
    seen: jsonb('seen').$type<SeenRefresh[] | null>(),
    decidedAt: when('decided_at').notNull(),
    /** Nobody takes it up before. */
    notBefore: when('not_before').notNull(),
    tries: integer('tries').notNull().default(0),
    begunAt: when('begun_at'),
    planId: integer('plan_id'),
    runId: integer('run_id'),
  },
  (t) => [
    uniqueIndex('occasion_once').on(t.environment, t.job, t.start, t.key),
    index('occasion_due')
      .on(t.notBefore)
      .where(sql`state = 'due'`),
    index('occasion_paused')
      .on(t.environment, t.job, t.start)
      .where(sql`state = 'paused'`),
    index('occasion_at').on(t.environment, t.at.desc()),
    index('occasion_job').on(t.job, t.environment, t.at.desc()),
  ],
)

/** A span in which nothing begins by itself, once or again and again: in an environment, of a job, or of one start. */
export const pause = mattock.table(
  'pause',
  {
    id: serial('id').primaryKey(),
    environment: inEnvironment(),
    job: text('job'),
    start: text('start'),
    from: when('from').notNull(),
    /** Null: until somebody ends it. */
    until: when('until'),
    why: text('why').notNull(),
    by: text('by').notNull(),
    at: when('at').notNull(),
    endedBy: text('ended_by'),
    /** How it comes again and again between "from" and "until"; null where it is that one span. */
    again: jsonb('again').$type<Again | null>(),
    /** What of it began before this is over since then: somebody ended it that once. */
    passed: when('passed'),
  },
  (t) => [index().on(t.environment, t.from)],
)

/** Runs that have ended, until it is decided what begins after them. A trigger of mattock.run writes it. */
export const endedRun = mattock.table('ended_run', {
  id: bigserial('id', { mode: 'number' }).primaryKey(),
  runId: integer('run_id').notNull(),
  at: when('at')
    .notNull()
    .default(sql`mattock.clock()`),
})

/** The clock that starts go by, where it is not the real one: what it showed at a real time, and how quick it goes. At most one row. */
export const shownClock = mattock.table('shown_clock', {
  id: integer('id').primaryKey().default(1),
  real: when('real').notNull(),
  shown: when('shown').notNull(),
  rate: doublePrecision('rate').notNull().default(1),
})

/** Files of a row and slice as a start that waits for files saw them last, and whether it began for them as they are. */
export const arrivalSeen = mattock.table(
  'arrival_seen',
  {
    environment: inEnvironment(),
    job: text('job').notNull(),
    start: text('start').notNull(),
    /** Part, row and slice. */
    item: text('item').notNull(),
    /** Paths, sizes and times of change. */
    files: text('files').notNull(),
    since: when('since').notNull(),
    takenAt: when('taken_at'),
  },
  (t) => [primaryKey({ columns: [t.environment, t.job, t.start, t.item] })],
)

/** The key that calls of a start are signed with. */
export const callKey = mattock.table(
  'call_key',
  {
    environment: inEnvironment(),
    job: text('job').notNull(),
    start: text('start').notNull(),
    /** Encrypted with the installation's key. */
    secret: bytea('secret').notNull(),
    madeBy: text('made_by').notNull(),
    madeAt: when('made_at').notNull(),
    usedAt: when('used_at'),
  },
  (t) => [primaryKey({ columns: [t.environment, t.job, t.start] })],
)

/** What somebody said about a file that did not come. */
export const arrivalAnswer = mattock.table(
  'arrival_answer',
  {
    environment: inEnvironment(),
    job: text('job').notNull(),
    part: text('part').notNull(),
    rowKey: text('row_key').notNull(),
    sliceFrom: when('slice_from').notNull(),
    kind: text('kind').$type<ArrivalAnswerKind>().notNull(),
    /** When it is asked for again. */
    until: when('until'),
    /** The file that is taken in place of what the row names; paths of the store. */
    file: text('file'),
    replaces: text('replaces'),
    why: text('why').notNull(),
    by: text('by').notNull(),
    at: when('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.environment, t.job, t.part, t.rowKey, t.sliceFrom] })],
)
