import { bigserial, index, primaryKey, text } from 'drizzle-orm/pg-core'
import { mattock, when } from './columns'

/** What people did about something that needs a decision. */
export const matter = mattock.table(
  'matter',
  {
    environment: text('environment').notNull(),
    /** What makes it this one and no other: the kind of decision and what it is about. */
    key: text('key').notNull(),
    title: text('title').notNull(),
    /** Nobody is to see it before; null where it is not quiet. */
    quietUntil: when('quiet_until'),
    /** Who sees to it; null where nobody does. */
    givenTo: text('given_to'),
    at: when('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.environment, t.key] })],
)

/** What was said and done about it, in order. */
export const matterNote = mattock.table(
  'matter_note',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    environment: text('environment').notNull(),
    key: text('key').notNull(),
    by: text('by').notNull(),
    text: text('text').notNull(),
    at: when('at').notNull(),
  },
  (t) => [index().on(t.environment, t.key, t.id)],
)
