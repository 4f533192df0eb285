import { integer, serial, text, uniqueIndex } from 'drizzle-orm/pg-core'
import { created, mattock } from './columns'

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
