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
