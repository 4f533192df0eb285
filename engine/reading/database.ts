import { constants, createWriteStream, openSync } from 'node:fs'
import { Socket } from 'node:net'
import { pipeline } from 'node:stream/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import { to as copyTo } from 'pg-copy-streams'
import { quoteName } from '../../core/text/slot'
import { duckTypeFor, type TableColumn } from '../../core/catalog/types'
import { readingSql } from '../connectors/postgres/session'
import { qualified, tableColumns, type TargetTable } from '../connectors/postgres/tables'
import { causeAmong } from '../context/causes'
import { literal, withPipePath } from '../duck/duck'
import type { OpenSource } from './source'
import { recorded, stepFault, type ReadContext } from '../context/step'

/** A table, or a SELECT with its bound values. */
export type DatabaseSource = (
  | { readonly kind: 'table'; readonly table: TargetTable }
  | { readonly kind: 'query'; readonly text: string; readonly values: readonly unknown[] }
) & {
  /** A condition, as SQL writes it, that its rows must meet; undefined for all of them. */
  readonly where?: string
}

/**
 * Opens a source in a database for one reading: begins the transaction whose snapshot the count and the copy share.
 * COPY takes no bound values, so a query that has some is kept in a temporary table first.
 * @throws StepFault `no-table`
 */
export async function openDatabaseSource(
  reader: pg.ClientBase,
  source: DatabaseSource,
  on: string,
  { zone, outcome }: Pick<ReadContext, 'zone' | 'outcome'>,
): Promise<{ from: string; columns: TableColumn[]; label: string }> {
  const bound = source.kind === 'query' && source.values.length > 0
  await reader.query(`begin isolation level repeatable read${bound ? '' : ' read only'}; ${readingSql(zone)}`)
  if (source.kind === 'table') {
    const { table } = source
    const label = `${table.schema}.${table.name}`
    const columns = await tableColumns(reader, table)
    if (!columns)
      stepFault(
        'no-table',
        `there is no table ${label} in ${on}`,
        'look at the name, or at the rights of the connection',
      )
    return { from: only(qualified(table), source.where), columns, label }
  }
  const text = source.text.trim().replace(/;\s*$/, '')
  if (bound)
    await recorded(
      reader,
      outcome,
      on,
      `create temporary table mattock_query on commit drop as\n${text}`,
      source.values,
    )
  const from = bound ? 'mattock_query' : `(\n${text}\n) as mattock_query`
  const { fields } = await reader.query(`select * from ${from} limit 0`)
  const { rows: types } = await reader.query<{ type: string }>(
    'select format_type(oid, mod) as type from unnest($1::oid[], $2::int[]) with ordinality t(oid, mod, n) order by n',
    [fields.map(({ dataTypeID }) => dataTypeID), fields.map(({ dataTypeModifier }) => dataTypeModifier)],
  )
  const columns = fields.map(({ name }, i) => ({ name, type: types[i]!.type, notNull: false }))
  const twice = columns.find(({ name }, i) => columns.findIndex((other) => other.name === name) !== i)
  if (twice)
    stepFault(
      'columns',
      `the query gives two columns called "${twice.name}"`,
      'give one of them another name with as',
    )
  return { from: only(from, source.where), columns, label: 'the query' }
}

const only = (from: string, where: string | undefined): string =>
  where === undefined ? from : `(select * from ${from} where ${where}) as mattock_new`

/**
 * Opens a table or a query for DuckDB: Postgres copies it into a pipe while `work` selects from the other end. Both
 * ends must agree on the number of rows. With a place for it, it is copied there first, and can be read again.
 */
export async function withDatabaseSource<T>(
  duck: DuckDBConnection,
  pool: pg.Pool,
  source: DatabaseSource,
  on: string,
  context: ReadContext,
  again: string | undefined,
  use: (source: OpenSource) => Promise<T>,
): Promise<T> {
  const { signal, outcome } = context
  const reader = await pool.connect()
  let broken: Error | undefined
  try {
    const { from, columns, label } = await openDatabaseSource(reader, source, on, context)
    // a table is written by one clock; what a query works out goes by the job's
    if (source.kind === 'table') await reader.query("set local timezone to 'UTC'")
    const counted = await recorded(reader, outcome, on, `select count(*) as n from ${from}`)
    const rows = Number(counted.rows[0].n)
    const copy = `copy (select ${columns.map(({ name }) => quoteName(name)).join(', ')} from ${from}) to stdout (format csv)`
    const toPlace =
      again === undefined ? withPipePath : <R>(work: (path: string) => Promise<R>) => work(again)
    const result = await toPlace(async (path) => {
      const over = new AbortController()
      const types = columns.map(({ name, type }) => `${literal(name)}: ${literal(duckTypeFor(type))}`)
      const sql = `(select *, null::varchar as mattock_file from read_csv(${literal(path)}, auto_detect = false, header = false, delim = ',', quote = '"', escape = '"', allow_quoted_nulls = false, columns = {${types.join(', ')}}))`
      let pumped: Promise<void> | undefined
      if (again !== undefined) await pipeline(reader.query(copyTo(copy)), createWriteStream(path), { signal })
      const opened: OpenSource = {
        empty: false,
        ...(again === undefined ? { once: true } : {}),
        label,
        ofText: false,
        columns: columns.map(({ name, type }) => ({ name, type: duckTypeFor(type), own: type })),
        // the bytes begin to flow when DuckDB has opened its end; they flow once
        sql: () => {
          if (again === undefined) {
            pumped ??= feed(reader, copy, path, AbortSignal.any([signal, over.signal]))
            pumped.catch(() => {})
          }
          return sql
        },
        drained: async () => await pumped,
        counted: Promise.resolve({ files: [], rows, bytes: 0 }),
      }
      try {
        return await use(opened)
      } catch (error) {
        // a fault of the database says more than the broken pipe that DuckDB sees because of it
        over.abort()
        const own = await pumped?.then(() => undefined, (reason: Error) => reason) // prettier-ignore
        throw causeAmong(error as Error, own)
      }
    })
    outcome.statements.push({ on, text: copy, rows, milliseconds: 0 })
    // a source is only read: what a function in its query did there goes back
    await reader.query('rollback')
    return result
  } catch (error) {
    broken = error as Error
    throw error
  } finally {
    reader.release(broken)
  }
}

/** Copies into a pipe once somebody has opened its other end: until then, opening ours is refused (ENXIO, fifo(7)). */
async function feed(reader: pg.PoolClient, copy: string, path: string, signal: AbortSignal): Promise<void> {
  for (;;) {
    signal.throwIfAborted()
    try {
      const sink = new Socket({
        fd: openSync(path, constants.O_WRONLY | constants.O_NONBLOCK),
        readable: false,
        writable: true,
      })
      return await pipeline(reader.query(copyTo(copy)), sink, { signal })
    } catch (error) {
      if ((error as NodeJS.ErrnoException).code !== 'ENXIO') throw error
      await new Promise((resolve) => setTimeout(resolve, 1))
    }
  }
}
