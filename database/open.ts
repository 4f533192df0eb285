import { readFileSync } from 'node:fs'
import { join } from 'node:path'
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

/** The store was brought to a schema by a program that is newer than this one, which would misread it. */
export class NewerStore extends Error {
  constructor(at: number) {
    super(
      `Mattock's store was last used by a newer version of Mattock (its tables are as of ${new Date(at).toISOString().slice(0, 10)}), and this one would misread it. ` +
        'Start that version, or a newer one, or choose another data folder (--data).',
    )
  }
}

/**
 * Brings the store to this version's schema. Safe to call from several processes at once.
 * @throws NewerStore where it has a schema that this version does not know
 */
export async function migrateDatabase(url: string, folder: string): Promise<void> {
  const pool = new pg.Pool({ connectionString: url, max: 2 })
  const client = await pool.connect()
  try {
    await client.query('select pg_advisory_lock(7301953)')
    await client.query('create schema if not exists control')
    await refuseNewer(client, folder)
    await runMigrations({ connectionString: url, logger: undefined })
    await migrate(drizzle(pool), { migrationsFolder: folder })
  } finally {
    await client.query('select pg_advisory_unlock(7301953)').catch(() => {})
    client.release()
    await pool.end()
  }
}

/** Compares the newest migration that the store has with those that are here, by the times at which they were made. */
async function refuseNewer(client: pg.PoolClient, folder: string): Promise<void> {
  const table = await client.query<{ there: boolean }>(
    `select to_regclass('drizzle.__drizzle_migrations') is not null as there`,
  )
  if (!table.rows[0]!.there) return
  const { rows } = await client.query<{ at: number | null }>(
    'select max(created_at)::float8 as at from drizzle.__drizzle_migrations',
  )
  const journal = JSON.parse(readFileSync(join(folder, 'meta', '_journal.json'), 'utf8')) as {
    readonly entries: readonly { readonly when: number }[]
  }
  const newest = Math.max(...journal.entries.map(({ when }) => when))
  const at = rows[0]!.at
  if (at !== null && at > newest) throw new NewerStore(at)
}
