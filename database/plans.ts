import { boolean, index, integer, jsonb, primaryKey, serial, text } from 'drizzle-orm/pg-core'
import type { Forecast } from '../core/forecast/forecast'
import type { Finding, PlanPick } from '../core/plan/types'
import type { Resolved } from '../core/text/slot'
import type { Row } from '../core/value'
import { created, mattock, when } from './columns'
import type { PlanMark, StoredPart } from './records'
import { jobVersion } from './jobs'

export const plan = mattock.table(
  'plan',
  {
    id: serial('id').primaryKey(),
    job: text('job').notNull(),
    versionId: integer('version_id')
      .notNull()
      .references(() => jobVersion.id),
    environment: text('environment').notNull(),
    createdAt: created(),
    by: text('by').notNull(),
    parameters: jsonb('parameters').$type<Row>().notNull(),
    only: text('only'),
    span: text('span'),
    /** Stretches of rows that it was made of; null where it is of all rows. */
    picks: jsonb('picks').$type<PlanPick[] | null>(),
    /** Parts without their roster's rows, which are in the loads. */
    parts: jsonb('parts').$type<StoredPart[]>().notNull(),
    findings: jsonb('findings').$type<Finding[]>().notNull(),
    forecast: jsonb('forecast').$type<Forecast | null>(),
    loads: integer('loads').notNull(),
    /** What loads have in common: the connections they use, the codes of the findings about them. */
    marks: jsonb('marks').$type<PlanMark[]>().notNull().default([]),
  },
  (t) => [index().on(t.job, t.id.desc()), index().on(t.createdAt.desc())],
)

const ofPlan = () =>
  integer('plan_id')
    .notNull()
    .references(() => plan.id, { onDelete: 'cascade' })

/** A row of a part's roster, with what varies with the row alone. */
export const planRow = mattock.table(
  'plan_row',
  {
    planId: ofPlan(),
    part: integer('part').notNull(),
    row: integer('row').notNull(),
    key: text('key').notNull(),
    cells: jsonb('cells').$type<Row>().notNull(),
    resolved: jsonb('resolved').$type<(Resolved | null)[]>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.part, t.row] })],
)

export const planSlice = mattock.table(
  'plan_slice',
  {
    planId: ofPlan(),
    part: integer('part').notNull(),
    slice: integer('slice').notNull(),
    from: when('from').notNull(),
    to: when('to').notNull(),
    label: text('label').notNull(),
    resolved: jsonb('resolved').$type<(Resolved | null)[]>().notNull(),
  },
  (t) => [primaryKey({ columns: [t.planId, t.part, t.slice] })],
)

/** A load: which row and slice, and what varies with both. A plan of 300,000 loads is as many narrow rows. */
export const plannedLoad = mattock.table(
  'planned_load',
  {
    // no foreign key: checking it row by row would take longer than writing the rows; plans are deleted in one place
    planId: integer('plan_id').notNull(),
    number: integer('number').notNull(),
    part: integer('part').notNull(),
    /** Null in a part that runs once. */
    row: integer('row'),
    slice: integer('slice'),
    /** What a part that runs once is called. */
    title: text('title'),
    resolved: jsonb('resolved').$type<(Resolved | null)[]>(),
    /** Paths and bytes of its files; null where it reads none. */
    files: jsonb('files').$type<[path: string, bytes: number][] | null>(),
    /** Place in the plan's marks. */
    mark: integer('mark').notNull().default(0),
    left: boolean('left').notNull().default(false),
  },
  (t) => [primaryKey({ columns: [t.planId, t.number] })],
)
