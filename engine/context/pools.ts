import pg from 'pg'

const targets = new Map<string, pg.Pool>()

/** A pool for a database that is not Mattock's own; kept by its address. */
export function targetPool(config: pg.PoolConfig): pg.Pool {
  const id = JSON.stringify(config)
  let pool = targets.get(id)
  if (!pool) {
    pool = new pg.Pool({ ...config, max: 16, idleTimeoutMillis: 30_000, application_name: 'mattock' })
    pool.on('error', () => {})
    targets.set(id, pool)
  }
  return pool
}

/** Closes every pool. */
export async function closeTargets(): Promise<void> {
  await Promise.all([...targets.values()].map((pool) => pool.end()))
  targets.clear()
}
