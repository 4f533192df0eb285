import type { DatasetKind } from '../../core/catalog/datasetKinds'
import { join } from 'node:path'
import { and, arrayContains, eq } from 'drizzle-orm'
import type { DuckDBConnection } from '@duckdb/node-api'
import { quoteName } from '../../core/text/slot'
import { fail } from '../../core/fault'
import { groupBy } from '../../core/group'
import { castTo } from '../../core/cast/cast'
import { editedColumns, type CatalogColumn } from '../../core/catalog/edits'
import { duckTypeFor, postgresTypeFor } from '../../core/catalog/types'
import { dataset, fileShape } from '../../database/catalog'
import { openAs } from '../connectors/connections'
import { insideStore } from '../connectors/files/store'
import type { TargetTable } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { withFolder } from '../context/temporary'
import { formats } from '../formats'
import type { Relation } from '../formats/relation'
import { layServiceDown } from '../connectors/service/layDown'
import { withDuck } from '../duck/duck'
import { withoutNulls } from '../reading/cast'

export type Dataset = typeof dataset.$inferSelect

export async function readDataset(engine: Engine, id: number): Promise<Dataset> {
  const [found] = await engine.db.select().from(dataset).where(eq(dataset.id, id))
  return found ?? fail('unknown-name', `there is no dataset ${id}`)
}

export const catalogColumns = ({ columns, edits }: Dataset): CatalogColumn[] => editedColumns(columns, edits)

/** The table that a dataset of a database is. */
export function datasetTable({ locator }: Pick<Dataset, 'locator'>): TargetTable {
  const dot = locator.indexOf('.')
  return { schema: locator.slice(0, dot), name: locator.slice(dot + 1) }
}

/** Records of a service that are read for a sample or a profile. */
const serviceRecords = 10_000

/**
 * Opens a dataset of files or of a service as one relation, columns by the names the source has, for as long as `work`
 * takes. `files` bounds the files that are read, from the newest.
 */
export async function withDataset<T>(
  engine: Engine,
  entry: Dataset,
  files: number,
  work: (duck: DuckDBConnection, relation: Relation) => Promise<T>,
  signal?: AbortSignal,
): Promise<T> {
  return await withFolder(
    async (folder) =>
      await withDuck('UTC', true, async (duck) => {
        const open = openers[entry.kind]
        if (!open) throw new Error(`${entry.name} is a relation of its database`)
        return await work(duck, await open({ engine, duck, entry, files, folder, signal }))
      }),
  )
}

/** What opening a dataset needs. */
interface Opening {
  readonly engine: Engine
  readonly duck: DuckDBConnection
  readonly entry: Dataset
  /** Files that are read at most, from the newest. */
  readonly files: number
  readonly folder: string
  readonly signal: AbortSignal | undefined
}

/** How the kinds of datasets that are no relation of a database are opened. */
const openers: Partial<Record<DatasetKind, (opening: Opening) => Promise<Relation>>> = {
  files: filesRelation,
  service: serviceRelation,
}

async function serviceRelation({ engine, duck, entry, folder, signal }: Opening): Promise<Relation> {
  const { service } = await openAs(engine, 'service', entry.connection, entry.environment)
  const full = join(folder, 'records.ndjson')
  await layServiceDown(service, entry.locator.split('#')[0]!, full, {
    ...(signal ? { signal } : {}),
    limit: serviceRecords,
  })
  return await formats.ndjson.relation(
    duck,
    [{ full, path: 'records.ndjson' }],
    entry.format ?? { kind: 'ndjson' },
    [],
    folder,
  )
}

async function filesRelation({ engine, duck, entry, files: limit, folder }: Opening): Promise<Relation> {
  const { store } = await openAs(engine, 'files', entry.connection, entry.environment)
  const shapes = await engine.db
    .select()
    .from(fileShape)
    .where(
      and(
        eq(fileShape.environment, entry.environment),
        eq(fileShape.connection, entry.connection),
        arrayContains(fileShape.datasets, [entry.id]),
      ),
    )
  shapes.sort((a, b) => (a.modified < b.modified ? 1 : -1))
  const known = new Set(entry.columns.map(({ name }) => name))
  const wanted = shapes
    .slice(0, limit)
    .flatMap(({ path, tables }) =>
      tables
        .filter(
          ({ format, columns }) =>
            format.inner === entry.format?.inner && columns.some(({ name }) => known.has(name)),
        )
        .map(({ format, columns }) => ({ path, format, names: columns.map(({ name }) => name) })),
    )
  if (wanted.length === 0)
    fail('file', `no file of ${entry.name} is known any more; survey ${entry.connection} again`)
  const groups = groupBy(wanted, ({ format, names }) => JSON.stringify([format, names]))
  const parts: Relation[] = []
  for (const group of groups.values()) {
    const { format, names } = group[0]!
    const files = await Promise.all(
      group.map(async ({ path }) => ({ path, full: await insideStore(store, path) })),
    )
    parts.push(
      await formats[format.kind].relation(duck, files, format, names, join(folder, String(parts.length))),
    )
  }
  return unionOf(parts)
}

/** Relations of the same dataset under each other; columns that one lacks are null in it. */
function unionOf(parts: readonly Relation[]): Relation {
  if (parts.length === 1) return parts[0]!
  const columns = new Map<string, string>()
  for (const part of parts)
    for (const { name, type } of part.columns)
      columns.set(name, columns.has(name) && columns.get(name) !== type ? 'VARCHAR' : type)
  const selects = parts.map(({ sql, columns: own }) => {
    const list = own.map(({ name, type }) => {
      const wide = columns.get(name)!
      return wide === type ? quoteName(name) : `cast(${quoteName(name)} as ${wide}) as ${quoteName(name)}`
    })
    return `select mattock_file, ${list.join(', ')} from ${sql}`
  })
  return {
    sql: `(${selects.join(' union all by name ')})`,
    columns: [...columns].map(([name, type]) => ({ name, type })),
  }
}

/** A column of text as its type, by the way it is written; null where a value does not fit. */
export function typedSql(
  operand: string,
  column: Pick<CatalogColumn, 'type' | 'reading'>,
  native: string,
): string {
  if (native !== 'VARCHAR' || column.type === 'text') return operand
  const reading = column.reading ?? {}
  const cast = castTo(postgresTypeFor(column.type), { ...reading, zone: 'UTC' })
  const text = withoutNulls(`trim(${operand}, E' \\t\\r\\n')`, reading)
  // a list of one stands for a name, so that nothing is worked out twice
  const named = (value: string, use: (name: string) => string, name: string) =>
    `list_transform([${value}], lambda ${name}: ${use(name)})[1]`
  const { fits, sent, rewrite } = cast
  const judged = (name: string) => `case when ${fits?.(name) ?? 'true'} then ${sent?.(name) ?? name} end`
  const value = rewrite ? named(named(text, rewrite, 'x'), judged, 'y') : named(text, judged, 'x')
  const into = { decimal: 'double', number: 'double' }[column.type as string] ?? duckTypeFor(cast.type)
  return `try_cast(${value} as ${into})`
}
