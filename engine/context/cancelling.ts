import type pg from 'pg'

/** Breaks off what a connection is asked when a signal says so. Returns how to let go of it, before it is given to others. */
export function cancelOn(signal: AbortSignal, pool: pg.Pool, client: pg.PoolClient): () => void {
  const { processID } = client as unknown as { processID: number }
  const cancel = () => void pool.query('select pg_cancel_backend($1)', [processID]).catch(() => {})
  signal.addEventListener('abort', cancel)
  return () => signal.removeEventListener('abort', cancel)
}
