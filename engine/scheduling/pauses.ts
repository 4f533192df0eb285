import type pg from 'pg'
import { fail } from '../../core/fault'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'

/** A span in which nothing begins by itself: in all of an environment, of a job, or of one start. */
export interface Pause {
  readonly id: number
  readonly environment: string
  readonly job: string | null
  readonly start: string | null
  readonly from: string
  /** Null: until somebody ends it. */
  readonly until: string | null
  readonly why: string
  readonly by: string
  readonly endedBy: string | null
}

/** What is paused: a start, a job, an environment. */
export interface Paused {
  readonly environment: string
  readonly job?: string | undefined
  readonly start?: string | undefined
}

const columns = `id, environment, job, start, "from", until, why, by, ended_by as "endedBy"`

/** Pauses of an environment that end after a time. */
export async function pausesSince(
  client: Pick<pg.ClientBase, 'query'>,
  environment: string,
  since: string,
): Promise<Pause[]> {
  const { rows } = await client.query<Pause>(
    `select ${columns} from mattock.pause where environment = $1 and (until is null or until > $2) order by "from", id`,
    [environment, since],
  )
  return rows
}

/** Is a start within what a pause is of? */
const isOf = (pause: Pause, job: string, start: string): boolean =>
  (pause.job ?? job) === job && (pause.start ?? start) === start

/** The pause that a start is in at a time; of several, the one that ends last. */
export function pauseAt(pauses: readonly Pause[], job: string, start: string, at: number): Pause | undefined {
  const there = pauses.filter(
    (pause) =>
      isOf(pause, job, start) && Date.parse(pause.from) <= at && (pause.until === null || Date.parse(pause.until) > at),
  )
  return there.reduce<Pause | undefined>(
    (last, one) => (!last || endOf(one) > endOf(last) ? one : last),
    undefined,
  )
} // prettier-ignore

const endOf = ({ until }: Pause): number => (until === null ? Infinity : Date.parse(until))

export interface PauseAsk extends Paused {
  /** ISO 8601 instant; now where it is left out. */
  readonly from?: string | undefined
  readonly until?: string | undefined
  readonly why: string
  readonly by: string
}

/**
 * Pauses starts, from now or a time on, until a time or until somebody ends it.
 * @throws FaultError `unknown-name` where there is no such start, `request` where it would end before it begins
 */
export async function pauseStarts(engine: Engine, ask: PauseAsk): Promise<number> {
  const { environment, job, start, from, until, why, by } = ask
  if (job !== undefined) {
    const { rowCount } = await engine.db.$client.query(
      `select 1 from mattock.start_state where environment = $1 and job = $2 and start = coalesce($3, start) limit 1`,
      [environment, job, start ?? null],
    )
    if (!rowCount) fail('unknown-name', start === undefined ? `${job} has no starts in ${environment}` : `${job} has no start "${start}" in ${environment}`, { job }) // prettier-ignore
  }
  return await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ id: number }>(
      `insert into mattock.pause (environment, job, start, "from", until, why, by, at)
       select $1, $2, $3, f."from", $5, $6, $7, mattock.clock() from (select coalesce($4, mattock.clock()) as "from") f
       where $5::timestamptz is null or $5 > f."from" returning id`,
      [environment, job ?? null, start ?? null, from ?? null, until ?? null, why, by],
    )
    await client.query(`select pg_notify('mattock', '{"starts":true}')`)
    return rows[0]?.id ?? fail('request', 'it would end before it begins', { path: 'until' })
  })
}

/** Ends a pause, or takes back one that has not begun; what it kept from beginning is decided about now. @throws FaultError `unknown-name` */
export async function endPause(engine: Engine, id: number, by: string): Promise<void> {
  await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ environment: string }>(
      `update mattock.pause set until = greatest(mattock.clock(), "from"), ended_by = $2
       where id = $1 and (until is null or until > mattock.clock()) returning environment`,
      [id, by],
    )
    if (rows.length === 0) fail('unknown-name', `there is no pause ${id} that goes on`)
    await client.query('update mattock.start_state set next_at = mattock.clock() where environment = $1', [rows[0]!.environment]) // prettier-ignore
    await client.query(`select pg_notify('mattock', '{"starts":true}')`)
  })
}
