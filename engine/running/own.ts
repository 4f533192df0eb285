import type { Engine } from '../context/engine'
import type { Started } from './started'

/** Is the load still this attempt's? Another takes it over where its worker was silent for too long. */
export async function isStillMine(engine: Engine, started: Started): Promise<boolean> {
  const { rowCount } = await engine.db.$client.query(
    `select 1 from mattock.load where id = $1 and attempt = $2 and state = 'running'`,
    [started.load_id, started.attempt],
  )
  return rowCount === 1
}

/** Keeps in the load's row what it waits for, for the pages. Never throws: it goes on waiting all the same. */
export async function sayWaiting(engine: Engine, started: Started, what: string | null): Promise<void> {
  await engine.db.$client
    .query(
      `with said as (update mattock.load set waits_for = $3 where id = $1 and attempt = $2 and state = 'running' returning run_id)
       select pg_notify('mattock', json_build_object('run', run_id)::text) from said`,
      [started.load_id, started.attempt, what],
    )
    .catch(() => {})
}

/**
 * The load that this one repeats, where that one failed at a step, or outside of all of them, as where its workers ended:
 * then nobody said what took effect but the markers. Undefined for one that repeats none, or one that was done, or that failed
 * at another step.
 */
export async function repeatedAt(
  engine: Engine,
  started: Started,
  step: string,
): Promise<number | undefined> {
  if (started.repeats === null) return undefined
  const { rows } = await engine.db.$client.query<{ id: number }>(
    `select id from mattock.load where id = $1 and attempt > 0 and state <> 'done' and coalesce(error ->> 'step', $2) = $2`,
    [started.repeats, step],
  )
  return rows[0]?.id
}
