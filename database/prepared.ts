import type { Database } from './open'

/**
 * A question that is put together once for each database, and planned by Postgres once for each connection: for those
 * that are asked many times a second. `make` ends with Drizzle's `prepare`, under a name that is nobody else's.
 */
export function prepared<T>(make: (db: Database) => T): (db: Database) => T {
  const known = new WeakMap<Database, T>()
  return (db) => {
    let made = known.get(db)
    if (!made) known.set(db, (made = make(db)))
    return made
  }
}
