import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import type { Resolved } from '../../core/text/slot'
import { intoTable, type ToFiles, type Transfer } from '../../core/job/transfer'
import { openPostgres, openService, openStore } from '../connectors/connections'
import { qualified, type TargetTable } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { withDatabaseSource, type DatabaseSource } from '../reading/database'
import { literal, withDuck } from '../duck/duck'
import { openAnswer, openFiles, type EmptySource, type Source } from '../reading/files'
import { tableToTable } from '../writing/tableToTable'
import { inTransaction } from '../writing/target'
import { formatOf, toFiles, type FileTarget } from '../writing/toFiles'
import { toTable } from '../writing/toTable'
import type { Outcome, Work } from '../context/work'

/** Gives a text of the step as it resolved. */
export type TextOf = (path: string) => Resolved

export function tableOf(resolved: Resolved): TargetTable {
  if (resolved.kind !== 'table') throw new Error('a table was expected')
  return { schema: resolved.schema ?? 'public', name: resolved.table }
}

/**
 * Runs a transfer: from files, a table, a query or a service, into a table or files. Returns what an earlier attempt
 * recorded where that took effect already.
 */
export async function runTransfer(
  engine: Engine,
  spec: Transfer,
  environment: string,
  zone: string,
  text: TextOf,
  work: Work,
  outcome: Outcome,
): Promise<Outcome | undefined> {
  if (!intoTable(spec)) return await intoFiles(engine, spec as ToFiles, environment, text, work, outcome)
  const connection = text('transfer.into.connection').text
  const real = tableOf(text('transfer.into.table'))
  const pool = await openPostgres(engine, connection, environment)
  const into = { ...spec, into: { ...spec.into, connection } }
  const source = databaseSource(spec, text)
  return await inTransaction({ pool, connection }, work, zone, outcome, async (client) => {
    const table = work.aside ? await work.aside.database(pool, connection).writing(real) : real
    if (source) {
      const name = text('transfer.from.connection').text
      const sources = await openPostgres(engine, name, environment)
      const named = { ...into, from: { ...into.from, connection: name } }
      const from = await sourceInTry(source, sources, name, work)
      return await tableToTable(client, sources, { source: from, table, spec: named }, work, outcome)
    }
    const ordered = spec.into.repeats === 'keep-last'
    await withSource(engine, spec, environment, ordered, text, work, outcome, (duck, source) =>
      toTable(client, duck, source, { table, spec: into }, work, outcome),
    )
  })
}

async function intoFiles(
  engine: Engine,
  spec: ToFiles,
  environment: string,
  text: TextOf,
  work: Work,
  outcome: Outcome,
): Promise<undefined> {
  const real = await openStore(engine, text('transfer.into.store').text, environment)
  const store = work.aside ? await work.aside.storeFor(real) : real
  const target = { store, path: text('transfer.into.file').text, spec }
  const source = databaseSource(spec, text)
  if (!source) {
    await withSource(engine, spec, environment, true, text, work, outcome, (duck, source) =>
      toFiles(duck, source, target, work, outcome),
    )
    await lookAtFiles(target, work)
    return undefined
  }
  const name = text('transfer.from.connection').text
  const pool = await openPostgres(engine, name, environment)
  const from = await sourceInTry(source, pool, name, work)
  await withDuck(work.zone, true, (duck) =>
    withDatabaseSource(duck, pool, from, name, work, outcome, (opened) =>
      toFiles(duck, opened, target, work, outcome),
    ),
  )
  await lookAtFiles(target, work)
  return undefined
}

/** In a try, a table or query is read from what the try wrote before, and its first rows are kept. */
async function sourceInTry(
  source: DatabaseSource,
  pool: pg.Pool,
  connection: string,
  { aside }: Work,
): Promise<DatabaseSource> {
  if (!aside) return source
  const database = aside.database(pool, connection)
  if (source.kind === 'table') {
    const table = await database.reading(source.table)
    await database.lookAtQuery(`${source.table.schema}.${source.table.name}`, `select * from ${qualified(table)}`, []) // prettier-ignore
    return { kind: 'table', table }
  }
  const text = await database.query(source.text)
  await database.lookAtQuery('the query', text, source.values)
  return { ...source, text }
}

/** In a try, keeps the first rows of the files that were written. */
async function lookAtFiles(target: FileTarget, { aside, zone }: Work): Promise<void> {
  if (!aside) return
  const { root } = target.store
  const format = formatOf(target)
  const place = literal(join(root, target.path, target.spec.into.split ? '**/*' : ''))
  if (format === 'xlsx') return
  const reader = { csv: `read_csv(${place}, all_varchar = true)`, ndjson: `read_json(${place}, format = 'newline_delimited')`, parquet: `read_parquet(${place})` }[format] // prettier-ignore
  await withDuck(zone, true, (duck) => aside.lookAtOutput(duck, target.path, `select * from ${reader}`))
}

/** The table or query that a transfer reads; undefined where it reads something else. */
export function databaseSource({ from }: Transfer, text: TextOf): DatabaseSource | undefined {
  if (from.connection === undefined) return undefined
  if (from.table !== undefined) return { kind: 'table', table: tableOf(text('transfer.from.table')) }
  const query = text('transfer.from.query')
  if (query.kind !== 'sql') throw new Error('SQL was expected')
  return { kind: 'query', text: query.text, values: query.values }
}

/** Opens what files or a service give, for as long as the work takes. */
async function withSource(
  engine: Engine,
  spec: Transfer,
  environment: string,
  ordered: boolean,
  text: TextOf,
  work: Work,
  outcome: Outcome,
  use: (duck: DuckDBConnection, source: Source | EmptySource) => Promise<void>,
): Promise<void> {
  const seen = async (duck: DuckDBConnection, source: Source | EmptySource) => {
    if (!source.empty) await work.aside?.lookAtSource(duck, source)
    await use(duck, source)
  }
  const folder = await mkdtemp(join(tmpdir(), 'mattock-load-'))
  try {
    await withDuck(work.zone, ordered, async (duck) => {
      if (spec.from.service !== undefined) {
        const service = await openService(engine, text('transfer.from.service').text, environment)
        const path = text('transfer.from.path').text
        return await seen(duck, await openAnswer(duck, spec, service, path, folder, work.signal, outcome))
      }
      const real = await openStore(engine, text('transfer.from.store').text, environment)
      const files = text('transfer.from.files')
      if (files.kind !== 'path') throw new Error('a path was expected')
      const store = work.aside ? await work.aside.storeOf(real, files.pattern) : real
      await seen(duck, await openFiles(duck, spec, store, files, folder, outcome))
    })
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}
