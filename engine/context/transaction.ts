import type pg from 'pg'

/** Does some work in one transaction of a pool's client: all of it is kept, or, where it throws, nothing. */
export async function transaction<T>(pool: pg.Pool, work: (client: pg.PoolClient) => Promise<T>): Promise<T> {
  const client = await pool.connect()
  let broken: Error | undefined
  try {
    await client.query('begin')
    const result = await work(client)
    await client.query('commit')
    return result
  } catch (error) {
    // a client that cannot even roll back is not used again
    await client.query('rollback').catch((fault: Error) => (broken = fault))
    throw error
  } finally {
    client.release(broken)
  }
}

/** Attempts of what a deadlock or a serialization failure broke off (SQLSTATE 40P01, 40001). */
const attempts = 5

/**
 * Does work again that the database broke off because somebody else was at the same in the same moment: it was rolled
 * back whole, so that it is done as if for the first time.
 */
export async function againAfterDeadlock<T>(work: () => Promise<T>): Promise<T> {
  for (let attempt = 1; ; attempt++) {
    try {
      return await work()
    } catch (error) {
      const { code } = error as { code?: string }
      if ((code !== '40P01' && code !== '40001') || attempt >= attempts) throw error
      // the two do not meet again at once
      await new Promise((resolve) => setTimeout(resolve, Math.random() * 50 * attempt))
    }
  }
}
