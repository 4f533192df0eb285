import { and, arrayContains, eq, inArray, ne, not } from 'drizzle-orm'
import { postgresTypeFor } from '../../core/catalog/types'
import { editedColumns, type CatalogColumn } from '../../core/catalog/edits'
import type { FileFormat } from '../../core/catalog/found'
import { fail } from '../../core/fault'
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
