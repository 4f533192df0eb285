import pg from 'pg'
import { keepQuiet } from '../../database/open'

/** Pools for databases that are not Mattock's own. */
export interface Pools {
  /** The pool for an address, made when it is first asked for. */
  of(config: pg.PoolConfig): pg.Pool
  /** Closes every pool. */
  close(): Promise<void>
}

export function openPools(): Pools {
  const pools = new Map<string, pg.Pool>()
  return {
    of: (config) => {
      const id = JSON.stringify(config)
      let pool = pools.get(id)
      if (!pool) {
        pool = new pg.Pool({ ...config, max: 16, idleTimeoutMillis: 30_000, application_name: 'mattock' })
        keepQuiet(pool)
        pools.set(id, pool)
      }
      return pool
    },
    close: async () => {
      await Promise.all([...pools.values()].map((pool) => pool.end()))
      pools.clear()
    },
  }
}
