import { mkdtemp, rm } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import type { Resolved } from '../../core/expression/slot'
import { intoTable, type ToFiles, type Transfer } from '../../core/job/transfer'
import { openPostgres, openService, openStore } from '../connections'
import type { TargetTable } from '../connectors/postgres'
import type { Engine } from '../context'
import { withDatabaseSource, type DatabaseSource } from './database'
import { withDuck } from './duck'
import { openAnswer, openFiles, type EmptySource, type Source } from './source'
import { tableToTable } from './tableToTable'
import { inTransaction } from './target'
import { toFiles } from './toFiles'
import { toTable } from './toTable'
import type { Outcome, Work } from './types'

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
  const table = tableOf(text('transfer.into.table'))
  const pool = await openPostgres(engine, connection, environment)
  const into = { ...spec, into: { ...spec.into, connection } }
  const from = databaseSource(spec, text)
  return await inTransaction(pool, work, zone, async (client) => {
    if (from) {
      const name = text('transfer.from.connection').text
      const sources = await openPostgres(engine, name, environment)
      const named = { ...into, from: { ...into.from, connection: name } }
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
  const store = await openStore(engine, text('transfer.into.store').text, environment)
  const target = { store, path: text('transfer.into.file').text, spec }
  const from = databaseSource(spec, text)
  if (!from) {
    await withSource(engine, spec, environment, true, text, work, outcome, (duck, source) =>
      toFiles(duck, source, target, work, outcome),
    )
    return undefined
  }
  const name = text('transfer.from.connection').text
  const pool = await openPostgres(engine, name, environment)
  await withDuck(work.zone, true, (duck) =>
    withDatabaseSource(duck, pool, from, name, work, outcome, (source) =>
      toFiles(duck, source, target, work, outcome),
    ),
  )
  return undefined
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
  const folder = await mkdtemp(join(tmpdir(), 'mattock-load-'))
  try {
    await withDuck(work.zone, ordered, async (duck) => {
      if (spec.from.service !== undefined) {
        const service = await openService(engine, text('transfer.from.service').text, environment)
        return await use(
          duck,
          await openAnswer(
            duck,
            spec,
            service,
            text('transfer.from.path').text,
            folder,
            work.signal,
            outcome,
          ),
        )
      }
      const store = await openStore(engine, text('transfer.from.store').text, environment)
      const files = text('transfer.from.files')
      if (files.kind !== 'path') throw new Error('a path was expected')
      await use(duck, await openFiles(duck, spec, store, files, folder, outcome))
    })
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}
