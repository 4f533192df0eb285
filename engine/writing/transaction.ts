import type pg from 'pg'
import { inZoneSql } from '../connectors/postgres/session'
import { mayPass } from '../connectors/postgres/tables'
import { point } from '../context/points'
import { stopped, type Outcome, type StepContext } from '../context/step'
import { ensureMarkers, readMarker } from './markers'

/** A database that a step writes to. */
export interface TargetDatabase {
  readonly pool: pg.Pool
  readonly connection: string
}

/** Milliseconds between two looks at what a step waits for. */
const lookEvery = 2000

/** The connection was lost while the database was asked to commit: it may have, or not; the marker tells. */
export class CommitUnknown extends Error {
  readonly code = '08007'
  constructor(cause: Error) {
    super(`the connection was lost at the commit: ${cause.message}`, { cause })
    this.name = 'CommitUnknown'
  }
}

/**
 * One transaction for a step: where its marker is there already, the step took effect before and is not done again. A
 * try leaves no marker, and is made sure of to have changed nothing outside its scratch schema. Locks that others hold
 * are waited for up to a limit, and meanwhile it is said whose they are. Returns what the step did, now or then.
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
  const unwatch = watchLocks(context, pool, connection, processID)
  let broken: Error | undefined
  try {
    if (context.signal.aborted) throw stopped()
    const { lockWait } = context.engine.limits
    await client.query(`begin; ${inZoneSql(context.zone)}; set local lock_timeout to ${Math.round(lockWait)}`)
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
    await point('before-commit')
    await commit(client)
    await point('committed')
    return context.outcome
  } catch (error) {
    await client.query('rollback').catch((fault: Error) => (broken = fault))
    throw error
  } finally {
    unwatch()
    context.signal.removeEventListener('abort', cancel)
    client.release(broken)
  }
}

async function commit(client: pg.PoolClient): Promise<void> {
  try {
    await client.query('commit')
  } catch (error) {
    throw mayPass(error) && !/^40/.test((error as { code?: string }).code ?? '')
      ? new CommitUnknown(error as Error)
      : error
  }
}

/** Says what a backend waits for, and whom, for as long as it does. Returns how to end the watch. */
function watchLocks(context: StepContext, pool: pg.Pool, on: string, backend: number): () => void {
  let said = false
  let looking = false
  const look = async () => {
    const { rows } = await pool.query<{ words: string }>(
      `select string_agg(format('%s (%s%s) since %s s', b.pid, b.usename, coalesce(', ' || nullif(b.application_name, ''), ''),
         round(extract(epoch from clock_timestamp() - b.xact_start))), ', ') as words
       from unnest(pg_blocking_pids($1)) h(pid) join pg_stat_activity b on b.pid = h.pid`,
      [backend],
    )
    const words = rows[0]?.words ?? null
    if (words !== null) await context.waitsFor(`a lock in ${on} that session ${words} holds`)
    else if (said) await context.waitsFor(null)
    said = words !== null
  }
  const timer = setInterval(() => {
    if (looking) return
    looking = true
    // what cannot be looked at is not said; the step goes on
    look().catch(() => {}).finally(() => (looking = false)) // prettier-ignore
  }, lookEvery)
  return () => {
    clearInterval(timer)
    if (said) void context.waitsFor(null)
  }
}
