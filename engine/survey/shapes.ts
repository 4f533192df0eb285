import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import { quoteName } from '../../core/text/slot'
import { FaultError } from '../../core/fault'
import { findDialect } from '../../core/files/dialect'
import type { FileFormat } from '../../core/catalog/found'
import { classSql, trimSql, valueClasses, type ValueClass } from '../../core/catalog/valueClass'
import type { TableShape } from '../../database/catalog'
import { insideStore, type FileStore } from '../connectors/files/store'
import { detectFile, type Detected } from '../formats/detect'
import { documentTables, findRecords } from '../formats/json/documents'
import { csvSql, openRelation, type Relation, type StoreFile } from '../formats/relation'
import { checkGzip } from '../formats/gzip'
import { layDownSheets } from '../formats/xlsx/sheets'
import { literal } from '../duck/duck'
import type { WalkedFile } from '../connectors/files/walk'

/** What was read of a file: its tables, or why it has none. */
export interface ReadFile {
  readonly file: WalkedFile
  readonly tables: readonly TableShape[]
  readonly fault: string | null
}

/** Of a file larger than this only the first rows are looked at; its number of rows is then an estimate. */
const largeFile = 64 * 2 ** 20
const rowsOfLarge = 200_000

/** Files of one dialect and the same columns are read together, up to so many and so many bytes. */
const together = { files: 200, bytes: 48 * 2 ** 20 }

interface Queued {
  readonly file: WalkedFile
  readonly full: string
  readonly format: FileFormat
  readonly names: readonly string[]
  readonly detected: Detected & { sample: string }
}

/**
 * Reads files well enough to know their columns and the classes of their values; `save` gets them in small lots, so
 * that what was read is not lost when the work is broken off. A file that cannot be read gets a reason; nothing throws
 * but the signal and a lost store.
 */
export async function readShapes(
  duck: DuckDBConnection,
  store: FileStore,
  files: readonly WalkedFile[],
  folder: string,
  save: (read: ReadFile[]) => Promise<void>,
  signal: AbortSignal,
): Promise<void> {
  const queues = new Map<string, Queued[]>()
  let done: ReadFile[] = []
  const flush = async (least: number) => {
    if (done.length < least || done.length === 0) return
    await save(done)
    done = []
  }
  for (const file of files) {
    signal.throwIfAborted()
    try {
      const full = await insideStore(store, file.path)
      const detected = await detectFile(full, file.path)
      if ('kind' in detected && detected.gzip) await checkGzip(full, file.path)
      if ('reason' in detected) done.push({ file, tables: [], fault: detected.reason })
      else if (detected.kind === 'csv') {
        const dialect = findDialect(detected.sample, detected.whole)
        if (!dialect) done.push({ file, tables: [], fault: 'it has no line with anything in it' })
        else {
          const format = {
            ...dialect.format,
            ...(detected.encoding === 'utf-8' ? {} : { encoding: detected.encoding }),
            ...(detected.gzip ? { gzip: true } : {}),
          }
          const id = JSON.stringify([format, dialect.names])
          const queue = queues.get(id) ?? []
          queue.push({ file, full, format, names: dialect.names, detected })
          queues.set(id, queue)
          const bytes = queue.reduce((sum, entry) => sum + entry.file.size, 0)
          if (queue.length >= together.files || bytes >= together.bytes) {
            queues.delete(id)
            done.push(...(await readCsvs(duck, queue)))
          }
        }
      } else done.push(await readOther(duck, { full, path: file.path }, file, detected, folder))
    } catch (error) {
      signal.throwIfAborted()
      done.push({ file, tables: [], fault: reasonOf(error) })
    }
    await flush(100)
  }
  for (const queue of queues.values()) {
    signal.throwIfAborted()
    done.push(...(await readCsvs(duck, queue)))
    await flush(100)
  }
  await flush(1)
}

/** A fault in a few words, without paths of this machine. */
export function reasonOf(error: unknown): string {
  if (error instanceof FaultError) return error.fault.message
  const { code, message } = error as { code?: string; message: string }
  if (code === 'EACCES') return 'it may not be read'
  if (code === 'ENOENT') return 'it went away while it was read'
  if (/gzip|GZIP|miniz|decompress|deflate/i.test(message))
    return 'gzip that cannot be unpacked to its end: it is broken off or damaged'
  if (/Maximum line size|LINE SIZE/i.test(message)) return 'a line of more than 2 MB, which no table has'
  if (/maximum_object_size/i.test(message))
    return 'a document of more than 64 MB, or a record of more than 8 MB; parts of it cannot be read alone'
  if (/parquet/i.test(message)) return `a Parquet file that is damaged: ${firstLine(message)}`
  if (/Malformed JSON|json/i.test(message)) return `no JSON that can be read: ${firstLine(message)}`
  return firstLine(message)
}

const firstLine = (message: string): string =>
  (message.split('\n')[0] ?? message).replace(/"?\/[^"\s]*\/([^"/\s]+)"?/g, '$1').slice(0, 200)

/** Reads CSV files of one dialect in one go; where that fails, one by one, so that a bad one does not hide the others. */
async function readCsvs(duck: DuckDBConnection, queue: readonly Queued[]): Promise<ReadFile[]> {
  const large = queue.filter(({ file }) => file.size > largeFile)
  const small = queue.filter(({ file }) => file.size <= largeFile)
  const read: ReadFile[] = []
  if (small.length > 0) {
    try {
      read.push(...(await readCsvTogether(duck, small)))
    } catch (error) {
      if (small.length === 1) read.push({ file: small[0]!.file, tables: [], fault: reasonOf(error) })
      else for (const entry of small) read.push(...(await readCsvs(duck, [entry])))
    }
  }
  for (const entry of large) {
    try {
      read.push(...(await readCsvTogether(duck, [entry], rowsOfLarge)))
    } catch (error) {
      read.push({ file: entry.file, tables: [], fault: reasonOf(error) })
    }
  }
  return read
}

async function readCsvTogether(
  duck: DuckDBConnection,
  queue: readonly Queued[],
  limit?: number,
): Promise<ReadFile[]> {
  const { format, names } = queue[0]!
  const unnamed = format.header === false
  const relation: Relation = {
    sql: csvSql(
      queue.map(({ full }) => full),
      format,
      names,
      { rejects: true },
    ),
    columns: names.map((name) => ({ name, type: 'VARCHAR' })),
  }
  const found = await evidenceOf(duck, relation, limit)
  const broken = await brokenLines(duck)
  return queue.map(({ file, full, detected }) => {
    const seen = found.get(full) ?? {
      rows: 0,
      columns: names.map((name) => ({ name, counts: {}, longest: 0 })),
    }
    const sampleLines = detected.sample.split('\n').length - 1
    const rows = limit !== undefined && seen.rows >= limit
      ? format.gzip ? null : Math.round((file.size / Buffer.byteLength(detected.sample)) * sampleLines)
      : seen.rows // prettier-ignore
    const bad = broken.get(full)
    if (bad && seen.rows === 0)
      return { file, tables: [], fault: `none of its lines can be read: ${bad.reason}` }
    return {
      file,
      fault: null,
      tables: [
        {
          format,
          unnamed,
          rows,
          estimated: rows !== seen.rows,
          broken: bad?.count ?? 0,
          columns: seen.columns,
        },
      ],
    }
  })
}

/** Lines that could not be taken, by file: how many, and what is wrong with the first. */
async function brokenLines(duck: DuckDBConnection): Promise<Map<string, { count: number; reason: string }>> {
  const reader = await duck.runAndReadAll(
    'select file_path, count(distinct line)::int, first(error_type::varchar order by line) from reject_errors join reject_scans using (scan_id, file_id) group by 1',
  )
  const broken = (reader.getRows() as [string, number, string][]).map(
    ([file, count, kind]) => [file, { count, reason: brokenWords[kind] ?? kind.toLowerCase() }] as const,
  )
  await duck.run('truncate reject_errors; truncate reject_scans')
  return new Map(broken)
}

const brokenWords: Readonly<Record<string, string>> = {
  'LINE SIZE OVER MAXIMUM': 'a line of more than 2 MB, which no table has',
  'MISSING COLUMNS': 'fewer fields than the header',
  'TOO MANY COLUMNS': 'more fields than the header',
  'UNQUOTED VALUE': 'a quote that is not closed as it should be',
  'INVALID ENCODING': 'bytes that are no text of its encoding',
}

const nativeClasses: readonly (readonly [RegExp, ValueClass])[] = [
  [/INT/, 'integer'], [/^(DOUBLE|FLOAT|DECIMAL)/, 'decimal'], [/^BOOLEAN/, 'boolean'], [/^DATE$/, 'date'],
  [/^TIMESTAMP WITH/, 'timestamp-zone'], [/^TIMESTAMP/, 'timestamp'], [/^TIME/, 'time'],
] // prettier-ignore

/** The class that all values of a typed column have; undefined for text, whose values tell. */
export const nativeClass = (type: string): ValueClass | undefined =>
  nativeClasses.find(([test]) => test.test(type))?.[1]

/** Classes of the values of every column, by file; one pass. Text is looked at value by value, other types are counted. */
export async function evidenceOf(duck: DuckDBConnection, relation: Relation, limit?: number) {
  const inner = relation.columns.map(({ name, type }, i) =>
    nativeClass(type) === undefined ? `${trimSql(quoteName(name))} as v${i}` : `${quoteName(name)} as v${i}`,
  )
  const outer = relation.columns.map(({ type }, i) =>
    nativeClass(type) === undefined
      ? `histogram(${classSql(`v${i}`)}), max(length(v${i}))`
      : `count(v${i}), 0`,
  )
  const from = limit === undefined ? relation.sql : `(select * from ${relation.sql} limit ${limit})`
  const reader = await duck.runAndReadAll(
    `select mattock_file, count(*), ${outer.join(', ')} from (select mattock_file, ${inner.join(', ')} from ${from}) group by mattock_file`,
  )
  const files = new Map<string, { rows: number; columns: TableShape['columns'] }>()
  for (const row of reader.getRows()) {
    const rows = Number(row[1])
    const columns = relation.columns.map(({ name, type }, i) => {
      const cell = row[2 + 2 * i]
      const native = nativeClass(type)
      const counts: Partial<Record<ValueClass, number>> = {}
      if (native !== undefined) {
        const there = Number(cell)
        if (there > 0) counts[native] = there
        if (rows > there) counts.blank = rows - there
      } else {
        for (const { key, value } of (cell as unknown as { entries: { key: number; value: bigint }[] } | null)
          ?.entries ?? [])
          counts[valueClasses[key]!] = Number(value)
      }
      const own = type === 'VARCHAR' ? {} : { native: type }
      return { name, ...own, counts, longest: Number(row[3 + 2 * i] ?? 0) }
    })
    files.set(String(row[0]), { rows, columns })
  }
  return files
}

async function readOther(
  duck: DuckDBConnection,
  where: StoreFile,
  file: WalkedFile,
  detected: Exclude<Detected, { reason: string }>,
  folder: string,
): Promise<ReadFile> {
  const limit = file.size > largeFile ? rowsOfLarge : undefined
  const of = async (
    relation: Relation,
    format: FileFormat,
    unnamed: boolean,
    rows?: number,
  ): Promise<TableShape> => {
    const seen = (await evidenceOf(duck, relation, limit)).get(where.full)
    const counted = rows ?? seen?.rows ?? 0
    return {
      format, unnamed, rows: counted, broken: 0, estimated: limit !== undefined && rows === undefined && counted >= limit,
      columns: seen?.columns ?? relation.columns.map(({ name, type }) => ({ name, native: type, counts: {}, longest: 0 })),
    } // prettier-ignore
  }
  switch (detected.kind) {
    case 'parquet': {
      const format: FileFormat = { kind: 'parquet' }
      const reader = await duck.runAndReadAll(
        `select num_rows from parquet_file_metadata(${literal(where.full)})`,
      )
      const plain = { full: where.full, path: file.path.split('/').at(-1)! }
      const relation = await openRelation(duck, [plain], format, [], folder)
      return {
        file,
        fault: null,
        tables: [await of(relation, format, false, Number(reader.getRows()[0]![0]))],
      }
    }
    case 'xlsx': {
      const books = join(folder, 'book')
      try {
        const book = await layDownSheets(where.full, file.path, books)
        const tables: TableShape[] = []
        for (const sheet of book.sheets) {
          const sql = `(select * replace (${literal(where.full)} as mattock_file) from ${csvSql([sheet.csv], { kind: 'csv' }, sheet.place.names)})`
          const relation = { sql, columns: sheet.place.names.map((name) => ({ name, type: 'VARCHAR' })) }
          tables.push(
            await of(relation, { kind: 'xlsx', sheet: sheet.name }, !sheet.place.header, sheet.rows),
          )
        }
        const reasons = book.without.map(({ name, reason }) => `${name}: ${reason}`).join('; ')
        return { file, tables, fault: tables.length > 0 ? null : reasons || 'no sheet holds a table' }
      } finally {
        await rm(books, { recursive: true, force: true })
      }
    }
    default: {
      const packed: FileFormat = { kind: detected.kind, ...(detected.gzip ? { gzip: true } : {}) }
      const format = await findRecords(duck, [where.full], packed)
      const tables: TableShape[] = []
      for (const table of await documentTables(duck, [where.full], format)) {
        const inner = table.inner === '' ? format : { ...format, inner: table.inner }
        tables.push(await of({ sql: `(${table.sql})`, columns: table.columns }, inner, false))
      }
      if (tables[0]!.columns.length === 0) return { file, tables: [], fault: 'JSON without records' }
      return { file, tables, fault: null }
    }
  }
}

/** The first value of a class in a column of a file, and its row. */
export async function firstOfClass(
  duck: DuckDBConnection,
  relation: Relation,
  column: string,
  name: ValueClass,
): Promise<{ value: string; row: number } | undefined> {
  const reader = await duck.runAndReadAll(
    `select v, n from (select ${trimSql(quoteName(column))} as v, row_number() over () as n from ${relation.sql}) where ${classSql('v')} = ${valueClasses.indexOf(name)} limit 1`,
  )
  const [row] = reader.getRows()
  return row ? { value: String(row[0]), row: Number(row[1]) } : undefined
}
