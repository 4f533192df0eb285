import { sql } from 'drizzle-orm'
import { bigserial, index, jsonb, text } from 'drizzle-orm/pg-core'
import type { CellRules } from '../core/control/rules'
import type { Row } from '../core/value'
import { mattock, when } from './columns'
import { connection } from './connections'

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
