import { and, arrayContains, eq, inArray, ne, not } from 'drizzle-orm'
import { postgresTypeFor } from '../../core/catalog/types'
import { editedColumns, type CatalogColumn, type ColumnEdits } from '../../core/catalog/edits'
import type { FileFormat, FoundColumn } from '../../core/catalog/found'
import { fail } from '../../core/fault'
import { valueReadingOf } from '../../core/files/reading'
import type { ValueReading } from '../../core/files/valueReading'
import type { From } from '../../core/job/sources'
import { dataset, fileShape } from '../../database/catalog'
import type { Engine } from '../context/engine'
import type { OpenSource } from './source'

/** What the catalog knows of the files that are read. */
export interface KnownDataset {
  readonly columns: readonly CatalogColumn[]
  readonly format: FileFormat | null
  /** Those of some files that are surveyed, and are of other datasets only. */
  readonly othersAmong: (paths: readonly string[]) => Promise<ReadonlySet<string>>
}

/** The dataset that a job names for its files. @throws FaultError `unknown-name`, `file` where it is of another connection */
export async function knownDataset(
  { db }: Engine,
  environment: string,
  connection: string,
  name: string,
): Promise<KnownDataset> {
  const [found] = await db
    .select()
    .from(dataset)
    .where(and(eq(dataset.environment, environment), eq(dataset.name, name)))
  if (!found) fail('unknown-name', `there is no dataset ${name} in the catalog of ${environment}`)
  if (found.connection !== connection)
    fail('file', `the dataset ${name} is of ${found.connection}, not of ${connection}`)
  return {
    columns: editedColumns(found.columns, found.edits),
    format: found.format,
    othersAmong: async (paths) => {
      const others = await db
        .select({ path: fileShape.path })
        .from(fileShape)
        .where(
          and(
            eq(fileShape.environment, environment),
            eq(fileShape.connection, connection),
            inArray(fileShape.path, [...paths]),
            ne(fileShape.datasets, []),
            not(arrayContains(fileShape.datasets, [found.id])),
          ),
        )
      return new Set(others.map(({ path }) => path))
    },
  }
}

/** How files of a dataset are read: each by its own look, but for what the job says, and what no look tells. */
export function readingOf(from: From, { format, columns }: KnownDataset): From {
  const unnamed = columns.filter((column) => !column.fromFolder).map(({ name }) => name)
  return {
    ...from,
    format: from.format ?? 'detect',
    ...(from.sheet === undefined && format?.sheet !== undefined ? { sheet: format.sheet } : {}),
    ...(from.inner === undefined && format?.inner !== undefined ? { inner: format.inner } : {}),
    ...(from.records === undefined && format?.records !== undefined ? { records: format.records } : {}),
    ...(from.names === undefined && format?.header === false ? { names: unnamed } : {}),
  }
}

/** What the catalog says of the columns of a source: names, types, and how their values are written. */
export function asKnown(
  own: OpenSource['columns'],
  columns: readonly CatalogColumn[],
): Required<Pick<OpenSource, 'renames' | 'types' | 'readings'>> {
  const renames = new Map<string, string>()
  const types = new Map<string, string>()
  const readings = new Map<string, ValueReading>()
  const natives = new Map(own.map((column) => [column.name.toLowerCase(), column]))
  for (const { source, name, type, reading, byHand } of columns) {
    // a file without a header has the names that a person gave already
    const column = natives.get(source.toLowerCase()) ?? natives.get(name.toLowerCase())
    if (!column) continue
    if (name !== column.name) renames.set(name, column.name)
    // types of their own are kept where nobody said another
    if (column.type === 'VARCHAR' || byHand.includes('type')) types.set(column.name, postgresTypeFor(type))
    readings.set(column.name, reading ?? {})
  }
  return { renames, types, readings }
}

/** A dataset that files are known to be of, although nobody says so, with what a person set by hand. */
export interface SetByHand {
  readonly dataset: string
  /** Columns whose type or way of writing a person set, by the names of the files. */
  readonly columns: readonly CatalogColumn[]
  /** Columns that a person named. */
  readonly named: readonly string[]
}

interface Edited {
  readonly id: number
  readonly name: string
  readonly columns: FoundColumn[]
  readonly edits: ColumnEdits
  readonly format: FileFormat | null
}

/** What was set by hand of the one of some datasets that a job reads of a file; undefined where there are several. */
function byHandOf(among: readonly Edited[], from: Pick<From, 'sheet' | 'inner'>): SetByHand | undefined {
  // of sheets and lists a file has several
  const fitting = among.filter(
    ({ format }) =>
      (format?.inner ?? '') === (from.inner ?? '') &&
      (from.sheet === undefined || format?.sheet === from.sheet),
  )
  const [only] = fitting
  if (!only || fitting.length > 1) return undefined
  const columns = editedColumns(only.columns, only.edits)
  return {
    dataset: only.name,
    columns: columns
      .filter(({ byHand }) => byHand.includes('type') || byHand.includes('reading'))
      .map((column) => ({ ...column, name: column.source })),
    named: columns.filter(({ byHand }) => byHand.includes('name')).map(({ name }) => name),
  }
}

/** What a person set by hand of the one dataset that files are of; undefined where they are of none or of several, or nobody set anything. */
export async function setByHand(
  { db }: Engine,
  environment: string,
  connection: string,
  paths: readonly string[],
  from: Pick<From, 'sheet' | 'inner'>,
): Promise<SetByHand | undefined> {
  const { rows } = await db.$client.query<Edited>(
    `select d.id, d.name, d.columns, d.edits, d.format from mattock.dataset d
     where d.environment = $1 and d.connection = $2 and d.edits <> '{}' and exists
       (select 1 from mattock.file_shape f where f.environment = $1 and f.connection = $2 and f.path = any ($3) and f.datasets @> array[d.id])
     and not exists
       (select 1 from mattock.file_shape f where f.environment = $1 and f.connection = $2 and f.path = any ($3) and f.datasets <> '{}' and not f.datasets @> array[d.id])`,
    [environment, connection, paths],
  )
  return byHandOf(rows, from)
}

/** Columns that a person set, with what a job says of the writing of values going before. */
export const statedFirst = (columns: readonly CatalogColumn[], from: From): CatalogColumn[] =>
  columns.map((column) => ({ ...column, reading: { ...column.reading, ...valueReadingOf(from) } }))

/** The same of many files, each by itself: asked in a few questions, answered by path. */
export async function setByHandOfEach(
  { db }: Engine,
  environment: string,
  connection: string,
  paths: readonly string[],
): Promise<(path: string, from: Pick<From, 'sheet' | 'inner'>) => SetByHand | undefined> {
  const { rows: edited } = await db.$client.query<Edited>(
    `select id, name, columns, edits, format from mattock.dataset where environment = $1 and connection = $2 and edits <> '{}'`,
    [environment, connection],
  )
  if (edited.length === 0) return () => undefined
  const byId = new Map(edited.map((one) => [one.id, one]))
  const { rows } = await db.$client.query<{ path: string; datasets: number[] }>(
    'select path, datasets from mattock.file_shape where environment = $1 and connection = $2 and path = any ($3) and datasets && $4',
    [environment, connection, paths, [...byId.keys()]],
  )
  const byPath = new Map(
    rows.map(({ path, datasets }) => [path, datasets.flatMap((id) => byId.get(id) ?? [])]),
  )
  const made = new Map<string, SetByHand | undefined>()
  return (path, from) => {
    const among = byPath.get(path)
    if (!among) return undefined
    const id = [from.sheet, from.inner, ...among.map((one) => one.id)].join('\n')
    if (!made.has(id)) made.set(id, byHandOf(among, from))
    return made.get(id)
  }
}

/** The columns of datasets by name, as the catalog has them, with what a person said; those that are not there are left out. */
export async function columnsOfDatasets(
  { db }: Engine,
  environment: string,
  names: readonly string[],
): Promise<Map<string, CatalogColumn[]>> {
  if (names.length === 0) return new Map()
  const rows = await db
    .select({ name: dataset.name, columns: dataset.columns, edits: dataset.edits })
    .from(dataset)
    .where(and(eq(dataset.environment, environment), inArray(dataset.name, [...names])))
  return new Map(rows.map(({ name, columns, edits }) => [name, editedColumns(columns, edits)]))
}
