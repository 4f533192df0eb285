import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres'
import { migrate } from 'drizzle-orm/node-postgres/migrator'
import { runMigrations } from 'graphile-worker'
import pg from 'pg'
import * as schema from './schema'

// points in time as ISO 8601 text, counts (int8) as numbers, in every query that is not Drizzle's
pg.types.setTypeParser(pg.types.builtins.TIMESTAMPTZ, (text) => new Date(text).toISOString())
pg.types.setTypeParser(pg.types.builtins.INT8, Number)

export type Database = NodePgDatabase<typeof schema> & { $client: pg.Pool }

/**
 * A client that loses its server says so to whoever waits for an answer, and once more as an event that ends the
 * process where nobody listens. An idle one is replaced at the next use.
 */
export function keepQuiet(pool: pg.Pool): void {
  pool.on('error', () => {})
  pool.on('connect', (client) => client.on('error', () => {}))
}

/** Opens Mattock's own store. Timestamps come as ISO 8601 text; 8-byte integers as numbers. */
export function openDatabase(url: string, connections = 10): Database {
  const pool = new pg.Pool({ connectionString: url, max: connections })
  keepQuiet(pool)
  return drizzle(pool, { schema })
}

/** Brings the store to this version's schema. Safe to call from several processes at once. */
export async function migrateDatabase(url: string, folder: string): Promise<void> {
  const pool = new pg.Pool({ connectionString: url, max: 2 })
  const client = await pool.connect()
  try {
    await client.query('select pg_advisory_lock(7301953)')
    await client.query('create schema if not exists control')
    await runMigrations({ connectionString: url, logger: undefined })
    await migrate(drizzle(pool), { migrationsFolder: folder })
  } finally {
    await client.query('select pg_advisory_unlock(7301953)').catch(() => {})
    client.release()
    await pool.end()
  }
}
