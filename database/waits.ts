import { sql } from 'drizzle-orm'
import { bigint, bigserial, boolean, index, integer, jsonb, primaryKey, text } from 'drizzle-orm/pg-core'
import { mattock, when } from './columns'
import type { SeenFile } from './records'
import { run } from './runs'

/** Loads of a part that wait for the same: all rows of a slice, or one load. */
export const waitSet = mattock.table(
  'wait_set',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    runId: integer('run_id')
      .notNull()
      .references(() => run.id, { onDelete: 'cascade' }),
    part: integer('part').notNull(),
    /** Needs that are not met yet. */
    missing: integer('missing').notNull(),
    since: when('since').notNull(),
    /** When its loads were let go; null while they wait. */
    releasedAt: when('released_at'),
    /** By the clock of starts: when they wait no longer, and fail; null where they wait however long. */
    givesUpAt: when('gives_up_at'),
    /** They were let go for that. */
    gaveUp: boolean('gave_up').notNull().default(false),
  },
  (t) => [
    index().on(t.runId),
    index('wait_set_open')
      .on(t.id)
      .where(sql`released_at is null`),
    index('wait_set_gives_up')
      .on(t.givesUpAt)
      .where(sql`released_at is null and gives_up_at is not null`),
  ],
)

/** One thing that loads wait for. */
export const waitNeed = mattock.table(
  'wait_need',
  {
    setId: bigint('set_id', { mode: 'number' })
      .notNull()
      .references(() => waitSet.id, { onDelete: 'cascade' }),
    position: integer('position').notNull(),
    kind: text('kind').$type<'slice' | 'refresh' | 'files' | 'run' | 'check'>().notNull(),
    environment: text('environment').notNull(),
    /** Of a slice: the job, its row (null for all), and the span. */
    job: text('job'),
    rowKey: text('row_key'),
    from: when('slice_from'),
    to: when('slice_to'),
    label: text('slice_label'),
    /** Of a dataset: `connection.name`, and since when it must have been refreshed. */
    dataset: text('dataset'),
    after: when('after'),
    /** Of files: where they are, how they are called, and the ending of their markers. */
    store: text('store'),
    pattern: text('pattern'),
    marker: text('marker'),
    /** Of a check: the step that must be done, and the place of its part; the job and the span as of a slice. */
    part: integer('part'),
    step: text('step'),
    /** A run that must be done. */
    runNeeded: integer('run_needed'),
    /** The files as they were when they were last looked at. */
    seen: jsonb('seen').$type<SeenFile[] | null>(),
    metAt: when('met_at'),
    /** Nobody waits for it any more, though it is not met: its loads were let go, set aside, stopped, or gave up. */
    leftAt: when('left_at'),
  },
  (t) => [
    primaryKey({ columns: [t.setId, t.position] }),
    index('wait_need_slice')
      .on(t.environment, t.job, t.from)
      .where(sql`met_at is null and kind = 'slice'`),
    index('wait_need_asked')
      .on(t.kind)
      .where(sql`met_at is null and left_at is null and kind in ('refresh', 'files', 'check')`),
    index('wait_need_run')
      .on(t.runNeeded)
      .where(sql`met_at is null and kind = 'run'`),
  ],
)
