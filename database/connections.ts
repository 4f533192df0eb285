import { sql } from 'drizzle-orm'
import { boolean, integer, jsonb, primaryKey, text } from 'drizzle-orm/pg-core'
import type { ConnectionKind } from '../core/connection/connection'
import type { Row } from '../core/value'
import { bytea, mattock, when } from './columns'

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
  /** Only workers that have all of these tags reach it. */
  needs: text('needs')
    .array()
    .notNull()
    .default(sql`'{}'`),
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

/** When an HTTP service was asked in the last minute, by whatever process. */
export const pace = mattock.table('pace', {
  address: text('address').primaryKey(),
  asked: when('asked')
    .array()
    .notNull()
    .default(sql`'{}'`),
})
