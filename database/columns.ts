import { sql } from 'drizzle-orm'
import { bigint, customType, pgSchema } from 'drizzle-orm/pg-core'

/** Mattock's own store. Control tables that live here are in schema `control`, made by people. */
export const mattock = pgSchema('mattock')

export const bytea = customType<{ data: Buffer }>({ dataType: () => 'bytea' })
/** A point in time, as ISO 8601 text in UTC. */
export const when = customType<{ data: string; driverData: string }>({
  dataType: () => 'timestamp with time zone',
  fromDriver: (value) => new Date(value).toISOString(),
})
export const created = () =>
  when('created_at')
    .notNull()
    .default(sql`now()`)
export const count = (name: string) => bigint(name, { mode: 'number' }).notNull().default(0)
