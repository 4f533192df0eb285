import { fail } from '../../core/fault'
import { openPostgres } from '../connectors/connections'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { ensureMarks, hasMarks } from './since'

/** A mark beside a target, with the last that moved it. */
export interface Mark {
  readonly connection: string
  readonly name: string
  readonly value: string | null
  readonly at: string
}

/** The marks of a job in an environment, as they stand in their targets now. */
export async function marksOf(engine: Engine, job: string, environment: string): Promise<Mark[]> {
  const { rows } = await engine.db.$client.query<{ connection: string; names: string[] }>(
    `select connection, array_agg(distinct name) as names from mattock.mark_move
     where (connection, name) in (select connection, name from mattock.mark_move where job = $1 and environment = $2) and environment = $2
     group by connection order by connection`,
    [job, environment],
  )
  const marks: Mark[] = []
  for (const { connection, names } of rows) {
    const pool = await openPostgres(engine, connection, environment)
    if (!(await hasMarks(pool))) continue
    const { rows: found } = await pool.query<Omit<Mark, 'connection'>>(
      `select name, value, to_char(at at time zone 'UTC', 'YYYY-MM-DD"T"HH24:MI:SS.MS"Z"') as at from mattock.load_mark
       where installation = $1 and environment = $2 and name = any ($3) order by name`,
      [engine.installation, environment, names],
    )
    marks.push(...found.map((mark) => ({ connection, ...mark })))
  }
  return marks
}

/** How a mark moved, newest first. */
export async function movesOf(engine: Engine, environment: string, connection: string, name: string) {
  const { rows } = await engine.db.$client.query<{ from: string | null; to: string | null; job: string | null; run: number | null; load: number | null; by: string | null; why: string | null; at: string }>(
    `select "from", "to", job, run_id as run, load_id as load, by, why, at from mattock.mark_move
     where environment = $1 and connection = $2 and name = $3 order by id desc limit 200`,
    [environment, connection, name],
  )
  return rows
} // prettier-ignore

export interface MarkSetting {
  readonly environment: string
  readonly connection: string
  readonly name: string
  /** As the page showed it: somebody or a load may have moved it since. */
  readonly from: string | null
  /** Null for none: the next load reads all. */
  readonly to: string | null
  readonly why: string
  readonly by: string
}

/**
 * Sets a mark by hand, with a reason that is kept. A load that holds it is waited for.
 * @throws FaultError `conflict` where it is not any more what it was
 */
export async function setMark(engine: Engine, setting: MarkSetting): Promise<void> {
  const { environment, connection, name, from, to, why, by } = setting
  const pool = await openPostgres(engine, connection, environment)
  await ensureMarks(pool)
  await transaction(pool, async (client) => {
    const key = [engine.installation, environment, name]
    await client.query(`set local lock_timeout to '10s'`)
    const { rows } = await client.query<{ value: string | null }>(
      'select value from mattock.load_mark where installation = $1 and environment = $2 and name = $3 for update',
      key,
    )
    if (!rows[0]) fail('unknown-name', `there is no mark "${name}" beside ${connection} in ${environment}`)
    if (rows[0].value !== from)
      fail(
        'conflict',
        `the mark stands at ${rows[0].value ?? 'nothing'} by now; look again before you set it`,
      )
    await client.query(
      'update mattock.load_mark set value = $4, at = clock_timestamp(), load = null where installation = $1 and environment = $2 and name = $3',
      [...key, to],
    )
    // kept before the mark is set for good: a reason without a move is better than a move without one
    await engine.db.$client.query(
      `insert into mattock.mark_move (environment, connection, name, "from", "to", by, why, at) values ($1, $2, $3, $4, $5, $6, $7, clock_timestamp())`,
      [environment, connection, name, from, to, by, why],
    )
  })
}
