import { sql } from 'drizzle-orm'
import { bigserial, boolean, index, integer, jsonb, primaryKey, text, uniqueIndex } from 'drizzle-orm/pg-core'
import type { Told, News } from '../core/alert/judge'
import type { AlertRule } from '../core/alert/rule'
import type { DecisionKind } from '../core/decisionKinds'
import type { Address } from '../core/job/messages'
import { environment } from './connections'
import { mattock, when } from './columns'

const inEnvironment = () =>
  text('environment')
    .notNull()
    .references(() => environment.name, { onDelete: 'cascade' })

/** Who is told of what. */
export const alertRule = mattock.table('alert_rule', {
  name: text('name').primaryKey(),
  rule: jsonb('rule').$type<AlertRule>().notNull(),
  active: boolean('active').notNull().default(true),
  updatedBy: text('updated_by').notNull(),
  updatedAt: when('updated_at').notNull(),
})

/** When an environment was last looked at, so that of several servers one does it; and from when on it is known what stood. */
export const alertWatch = mattock.table('alert_watch', {
  environment: inEnvironment().primaryKey(),
  lookedAt: when('looked_at').notNull(),
  knownFrom: when('known_from'),
})

/** Something that needed a decision, from when to when. */
export const matterSpan = mattock.table(
  'matter_span',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    environment: inEnvironment(),
    key: text('key').notNull(),
    kind: text('kind').$type<DecisionKind>().notNull(),
    cause: text('cause').notNull(),
    job: text('job'),
    title: text('title').notNull(),
    text: text('text').notNull(),
    since: when('since').notNull(),
    /** Null while it stands. */
    until: when('until'),
  },
  (t) => [
    uniqueIndex('matter_span_once').on(t.environment, t.key, t.since),
    uniqueIndex('matter_span_open')
      .on(t.environment, t.key)
      .where(sql`until is null`),
    index('matter_span_since').on(t.environment, t.since),
  ],
)

/** A cause that stands under a rule, and when it was told. */
export const alertOpen = mattock.table(
  'alert_open',
  {
    rule: text('rule')
      .notNull()
      .references(() => alertRule.name, { onDelete: 'cascade' }),
    environment: inEnvironment(),
    cause: text('cause').notNull(),
    news: jsonb('news').$type<News>().notNull(),
    seenAt: when('seen_at').notNull(),
    toldAt: when('told_at'),
  },
  (t) => [primaryKey({ columns: [t.rule, t.environment, t.cause] })],
)

/** Up to when the times of a summary are decided. */
export const alertSummary = mattock.table(
  'alert_summary',
  {
    rule: text('rule')
      .notNull()
      .references(() => alertRule.name, { onDelete: 'cascade' }),
    environment: inEnvironment(),
    at: when('at').notNull(),
  },
  (t) => [primaryKey({ columns: [t.rule, t.environment] })],
)

export const messageStates = ['waiting', 'taken', 'failed'] as const
export type MessageState = (typeof messageStates)[number]

/** A message to one address: to be sent, taken there, or given up. */
export const alertMessage = mattock.table(
  'alert_message',
  {
    id: bigserial('id', { mode: 'number' }).primaryKey(),
    /** The same however often it is sent. */
    key: text('key').notNull(),
    /** The rule's name, kept where the rule is gone. */
    rule: text('rule').notNull(),
    title: text('title').notNull(),
    environment: inEnvironment(),
    at: when('at').notNull(),
    /** What kind of event it is. */
    type: text('type').notNull(),
    address: jsonb('address').$type<Address>().notNull(),
    subject: text('subject').notNull(),
    text: text('text').notNull(),
    told: jsonb('told').$type<readonly Told[]>().notNull(),
    state: text('state').$type<MessageState>().notNull(),
    tries: integer('tries').notNull().default(0),
    /** Nobody sends it before. */
    nextAt: when('next_at').notNull(),
    /** What was said to it, or why it could not be sent. */
    said: text('said'),
    endedAt: when('ended_at'),
  },
  (t) => [
    index('alert_message_waiting')
      .on(t.nextAt)
      .where(sql`state = 'waiting'`),
    index('alert_message_at').on(t.environment, t.at.desc()),
    index('alert_message_rule').on(t.rule, t.environment, t.at.desc()),
  ],
)
