import { sql } from 'drizzle-orm'
import { index, integer, jsonb, serial, text } from 'drizzle-orm/pg-core'
import type { Right, Role } from '../core/rights'
import type { SweptKind } from '../core/keeping/swept'
import type { KeptKind } from '../core/keeping/kinds'
import { created, mattock, when } from './columns'
import type { KeptForAccount } from './records'

export const account = mattock.table('account', {
  id: serial('id').primaryKey(),
  email: text('email').notNull().unique(),
  name: text('name').notNull(),
  role: text('role').$type<Role>().notNull(),
  /** What they are in single environments, where that is something else. */
  environments: jsonb('environments').$type<Record<string, Role>>().notNull().default({}),
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
    /** When it was last used, to the minute: one that is not used ends. */
    seenAt: when('seen_at')
      .notNull()
      .default(sql`now()`),
    /** What signed in, in the words of the browser. */
    agent: text('agent').notNull().default(''),
  },
  (t) => [index().on(t.expiresAt), index().on(t.accountId)],
)

export const apiToken = mattock.table('api_token', {
  hash: text('hash').primaryKey(),
  accountId: integer('account_id')
    .notNull()
    .references(() => account.id, { onDelete: 'cascade' }),
  name: text('name').notNull(),
  createdAt: created(),
  /** What it may do at most. */
  atMost: text('at_most').$type<Right>().notNull().default('house'),
  /** Null: until it is taken back. */
  expiresAt: when('expires_at'),
  usedAt: when('used_at'),
})

/** Facts about this installation, such as its id. */
export const installation = mattock.table('installation', {
  id: text('id').primaryKey(),
  name: text('name').notNull(),
  createdAt: created(),
})

/** An address at which one person makes an account, once. */
export const invitation = mattock.table('invitation', {
  /** SHA-256 of the code in the address. */
  hash: text('hash').primaryKey(),
  role: text('role').$type<Role>().notNull(),
  createdAt: created(),
  expiresAt: when('expires_at').notNull(),
})

/** What was left behind by what ended in the middle, and was taken away: how often in all, and the last time. */
export const swept = mattock.table('swept', {
  kind: text('kind').$type<SweptKind>().primaryKey(),
  total: integer('total').notNull(),
  last: integer('last').notNull(),
  at: when('at').notNull(),
})

/** How long what is of one kind is kept; a kind without a row is kept as long as its definition says. */
export const retention = mattock.table('retention', {
  kind: text('kind').$type<KeptKind>().primaryKey(),
  /** Null: for ever. */
  days: integer('days'),
  updatedAt: when('updated_at')
    .notNull()
    .default(sql`now()`),
  updatedBy: text('updated_by').notNull(),
})
