import { sql } from 'drizzle-orm'
import { bigserial, index, integer, serial, text, uniqueIndex } from 'drizzle-orm/pg-core'
import { created, mattock, when } from './columns'
import { environment } from './connections'

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

/**
 * A version of a job that somebody with the right to build there put into an environment. The newest is what runs there;
 * the others are its history.
 */
export const jobPut = mattock.table(
  'job_put',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    environment: text('environment')
      .notNull()
      .references(() => environment.name),
    job: text('job')
      .notNull()
      .references(() => job.name),
    versionId: integer('version_id')
      .notNull()
      .references(() => jobVersion.id),
    by: text('by').notNull(),
    at: when('at')
      .notNull()
      .default(sql`now()`),
  },
  (t) => [index('job_put_newest').on(t.environment, t.job, t.id)],
)
