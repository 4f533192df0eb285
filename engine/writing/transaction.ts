import type pg from 'pg'
import { stopped, type Outcome, type StepContext } from '../context/step'
import { literal } from '../duck/duck'
import { ensureMarkers, readMarker } from './markers'

/** A database that a step writes to. */
export interface TargetDatabase {
  readonly pool: pg.Pool
  readonly connection: string
}

/**
 * One transaction for a step: where its marker is there already, the step took effect before and is not done again. A
 * try leaves no marker, and is made sure of to have changed nothing outside its scratch schema. Returns what the step did,
 * now or then.
 */
export async function inTransaction(
  context: StepContext,
  { pool, connection }: TargetDatabase,
  run: (client: pg.PoolClient) => Promise<void>,
): Promise<Outcome> {
  const aside = context.aside?.database(pool, connection)
  await (aside ? aside.prepare() : ensureMarkers(pool))
  const client = await pool.connect()
  const { processID } = client as unknown as { processID: number }
  const cancel = () => void pool.query('select pg_cancel_backend($1)', [processID]).catch(() => {})
  context.signal.addEventListener('abort', cancel)
  let broken: Error | undefined
  try {
    if (context.signal.aborted) throw stopped()
    await client.query(`begin; set local timezone to ${literal(context.zone)}`)
    const before = aside ? undefined : await readMarker(client, context)
    if (before) {
      await client.query('rollback')
      before.log.push('an earlier attempt had taken effect; it was not done again')
      return before
    }
    await aside?.begin(client)
    await run(client)
    await aside?.settle(client, context.outcome)
    // asked to stop in the last moment: better nothing than half an answer
    if (context.signal.aborted) throw stopped()
    await client.query('commit')
    return context.outcome
  } catch (error) {
    await client.query('rollback').catch((fault: Error) => (broken = fault))
    throw error
  } finally {
    context.signal.removeEventListener('abort', cancel)
    client.release(broken)
  }
}
