import type pg from 'pg'
import type { FoundMarker } from '../../core/proof/verdict'
import { quoteName } from '../../core/text/slot'
import { openPostgres } from '../connectors/connections'
import { postgresMessage } from '../connectors/postgres/tables'
import { cancelOn } from '../context/cancelling'
import type { Engine } from '../context/engine'

/** A table that steps of a run wrote into, and the transactions that they wrote in. */
export interface WrittenTable {
  readonly connection: string
  /** `schema.table`. */
  readonly locator: string
  readonly writers: readonly string[]
}

/** Rows by the transaction that wrote them; a text says why nobody could count. */
export type Counted = ReadonlyMap<string, number> | string

const why = (connection: string, error: unknown): string => `${connection}: ${postgresMessage(error)}`

/** Asks a database in one read-only transaction. @throws what it says */
async function asking<T>(
  engine: Engine,
  environment: string,
  connection: string,
  signal: AbortSignal,
  work: (client: pg.PoolClient) => Promise<T>,
): Promise<T> {
  const pool = await openPostgres(engine, connection, environment)
  const client = await pool.connect()
  const letGo = cancelOn(signal, pool, client)
  let broken: Error | undefined
  try {
    signal.throwIfAborted()
    await client.query('begin read only')
    return await work(client)
  } finally {
    letGo()
    await client.query('rollback').catch((error: Error) => (broken = error))
    client.release(broken)
  }
}

/**
 * Counts the rows of a table by the transactions that wrote them, in one look at it, however many loads wrote there. Postgres
 * keeps the number with each row (system column xmin, "5.5. System Columns" of its handbook), also once the row is frozen.
 */
export async function countWriters(
  engine: Engine,
  environment: string,
  { connection, locator, writers }: WrittenTable,
  signal: AbortSignal,
): Promise<Counted> {
  try {
    return await asking(engine, environment, connection, signal, async (client) => {
      const table = await tableAt(client, locator)
      if (table === undefined) return `there is no table ${locator} in ${connection} any more`
      const { rows } = await client.query<{ writer: string; rows: number }>(
        `select t.xmin::text as writer, count(*) as rows from ${table} t where t.xmin in (select unnest($1::text[]::xid[])) group by t.xmin`,
        [writers],
      )
      return new Map(rows.map((row) => [row.writer, Number(row.rows)]))
    })
  } catch (error) {
    signal.throwIfAborted()
    // a view has no such column, nor has a table of another server
    if ((error as { code?: string }).code === '42703')
      return `the rows of ${locator} cannot be told by who wrote them: it is no table of its own`
    return why(connection, error)
  }
}

/** The table of `schema.table`, quoted, where names may hold dots themselves. */
async function tableAt(client: pg.ClientBase, locator: string): Promise<string | undefined> {
  const parts = locator.split('.')
  for (let at = 1; at < parts.length; at++) {
    const name = [parts.slice(0, at), parts.slice(at)].map((some) => quoteName(some.join('.'))).join('.')
    const { rows } = await client.query<{ there: boolean }>('select to_regclass($1) is not null as there', [
      name,
    ])
    if (rows[0]!.there) return name
  }
  return undefined
}

/** The markers of loads in a database, by `load step`; a text says why nobody could look. */
export async function readMarkers(
  engine: Engine,
  environment: string,
  connection: string,
  loads: readonly number[],
  signal: AbortSignal,
): Promise<ReadonlyMap<string, FoundMarker> | string> {
  try {
    return await asking(engine, environment, connection, signal, async (client) => {
      const { rows: there } = await client.query<{ there: boolean }>(
        `select to_regclass('mattock.load_marker') is not null as there`,
      )
      if (!there[0]!.there) return new Map()
      const { rows } = await client.query<{ load: number; step: string; writtenIn: string; written: number }>(
        `select load, step, xmin::text as "writtenIn", (outcome -> 'counts' ->> 'written')::int8 as written
         from mattock.load_marker where installation = $1 and load = any ($2)`,
        [engine.installation, loads],
      )
      return new Map(
        rows.map(({ load, step, writtenIn, written }) => [
          `${load} ${step}`,
          { writtenIn, written: Number(written) },
        ]),
      )
    })
  } catch (error) {
    signal.throwIfAborted()
    return why(connection, error)
  }
}
