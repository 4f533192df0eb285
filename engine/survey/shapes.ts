import { rm } from 'node:fs/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import type { FileFormat } from '../../core/catalog/found'
import {
  classOf,
  classSql,
  otherClass,
  trimSql,
  valueClasses,
  type ValueClass,
} from '../../core/catalog/valueClass'
import { quoteName } from '../../core/text/slot'
import type { TableShape } from '../../database/catalog'
import { insideStore, type FileStore } from '../connectors/files/store'
import type { WalkedFile } from '../connectors/files/walk'
import { formats } from '../formats'
import { csvSql } from '../formats/csv/reader'
import { inUtf8, ofFiles } from '../formats/decode'
import type { Known } from '../formats/definition'
import { groupBy } from '../../core/group'
import { columnsRefusal } from '../formats/bounds'
import { detectFile } from '../formats/detect'
import { checkGzip } from '../formats/gzip'
import type { Relation, StoreFile } from '../formats/relation'
import {
  classesBelow,
  byClass,
  countsOf,
  otherValues,
  withOther,
  type ClassCounts,
  type Histogram,
} from '../reading/classCounts'
import { reasonOf } from './reason'

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
  readonly detected: Known
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
      else {
        const { together: dialect } = formats[detected.kind]
        if (!dialect) done.push(await readAlone(duck, { full, path: file.path }, file, detected, folder))
        else {
          const read = dialect(detected)
          const refusal = typeof read === 'string' ? read : columnsRefusal(read.names.length)
          if (typeof read === 'string' || refusal !== undefined)
            done.push({ file, tables: [], fault: refusal ?? '' })
          else {
            const id = JSON.stringify([read.format, read.names])
            const queue = queues.get(id) ?? []
            queue.push({ file, full, ...read, detected })
            queues.set(id, queue)
            const bytes = queue.reduce((sum, entry) => sum + entry.file.size, 0)
            if (queue.length >= together.files || bytes >= together.bytes) {
              queues.delete(id)
              done.push(...(await readCsvs(duck, queue, folder)))
            }
          }
        }
      }
    } catch (error) {
      signal.throwIfAborted()
      done.push({ file, tables: [], fault: reasonOf(error) })
    }
    await flush(100)
  }
  for (const queue of queues.values()) {
    signal.throwIfAborted()
    done.push(...(await readCsvs(duck, queue, folder)))
    await flush(100)
  }
  await flush(1)
}

/** Reads CSV files of one dialect in one go; where that fails, one by one, so that a bad one does not hide the others. */
async function readCsvs(
  duck: DuckDBConnection,
  queue: readonly Queued[],
  folder: string,
): Promise<ReadFile[]> {
  const large = queue.filter(({ file }) => file.size > largeFile)
  const small = queue.filter(({ file }) => file.size <= largeFile)
  const read: ReadFile[] = []
  if (small.length > 0) {
    try {
      read.push(...(await readCsvTogether(duck, small, folder)))
    } catch (error) {
      if (small.length === 1) read.push({ file: small[0]!.file, tables: [], fault: reasonOf(error) })
      else for (const entry of small) read.push(...(await readCsvs(duck, [entry], folder)))
    }
  }
  for (const entry of large) {
    try {
      read.push(...(await readCsvTogether(duck, [entry], folder, rowsOfLarge)))
    } catch (error) {
      read.push({ file: entry.file, tables: [], fault: reasonOf(error) })
    }
  }
  return read
}

async function readCsvTogether(
  duck: DuckDBConnection,
  queue: readonly Queued[],
  folder: string,
  limit?: number,
): Promise<ReadFile[]> {
  const { format, names } = queue[0]!
  const { files, copies } = await inUtf8(
    queue.map(({ full, file: { path } }) => ({ full, path, format })),
    folder,
  )
  const unnamed = format.header === false
  const relation: Relation = {
    sql: ofFiles(
      csvSql(
        files.map(({ full }) => full),
        files[0]!.format,
        names,
        { rejects: true },
      ),
      copies,
    ),
    columns: names.map((name) => ({ name, type: 'VARCHAR' })),
  }
  const found = await evidenceOf(duck, relation, limit)
  const broken = await brokenLines(duck, copies)
  for (const copy of copies.keys()) await rm(copy, { force: true })
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
async function brokenLines(
  duck: DuckDBConnection,
  copies: ReadonlyMap<string, string>,
): Promise<Map<string, { count: number; reason: string }>> {
  const reader = await duck.runAndReadAll(
    'select file_path, count(distinct line)::int, first(error_type::varchar order by line) from reject_errors join reject_scans using (scan_id, file_id) group by 1',
  )
  const broken = (reader.getRows() as [string, number, string][]).map(
    ([file, count, kind]) =>
      [copies.get(file) ?? file, { count, reason: brokenWords[kind] ?? kind.toLowerCase() }] as const,
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

interface SeenInFile {
  readonly file: string
  readonly rows: number
  /** A column each: its histogram, or, of a typed one, how many values are there. */
  readonly cells: readonly unknown[]
  readonly longest: readonly number[]
  readonly histograms: readonly (ReturnType<typeof countsOf> | undefined)[]
}

/** What is seen of columns in each file. */
async function seenByFile(
  duck: DuckDBConnection,
  from: string,
  columns: Relation['columns'],
): Promise<SeenInFile[]> {
  if (columns.every(({ type }) => nativeClass(type) === undefined)) {
    const below = await classesBelow(duck, from, columns.map(({ name }) => quoteName(name)), true) // prettier-ignore
    return [...groupBy(below, ({ file }) => file)].map(([file, list]) => {
      const of = new Map(list.map((one) => [one.column, one]))
      return {
        file,
        rows: list[0]!.rows,
        cells: [],
        longest: columns.map((_, i) => of.get(i)?.longest ?? 0),
        histograms: columns.map((_, i) => countsOf(of.get(i)?.histogram ?? null)),
      }
    })
  }
  const inner = columns.map(({ name, type }, i) =>
    nativeClass(type) === undefined ? `${trimSql(quoteName(name))} as v${i}` : `${quoteName(name)} as v${i}`,
  )
  const outer = columns.map(({ type }, i) =>
    nativeClass(type) === undefined
      ? `histogram(${classSql(`v${i}`)}), max(length(v${i}))`
      : `count(v${i}), 0`,
  )
  const reader = await duck.runAndReadAll(
    `select mattock_file, count(*), ${outer.join(', ')} from (select mattock_file, ${inner.join(', ')} from ${from}) group by mattock_file`,
  )
  return reader.getRows().map((row) => ({
    file: String(row[0]),
    rows: Number(row[1]),
    cells: columns.map((_, i) => row[2 + 2 * i]),
    longest: columns.map((_, i) => Number(row[3 + 2 * i] ?? 0)),
    histograms: columns.map(({ type }, i) =>
      nativeClass(type) === undefined ? countsOf(row[2 + 2 * i] as unknown as Histogram | null) : undefined,
    ),
  }))
}

/** Classes of the values of every column, by file. Text is looked at value by value, other types are counted. */
export async function evidenceOf(duck: DuckDBConnection, relation: Relation, limit?: number) {
  const from = limit === undefined ? relation.sql : `(select * from ${relation.sql} limit ${limit})`
  const found = await seenByFile(duck, from, relation.columns)
  // what is none of the common classes is looked at once more, where its column is not text anyway
  const isAsked = (one: ReturnType<typeof countsOf> | undefined) =>
    one !== undefined && one.other > 0 && !one.counts.text
  const others = new Map<number, Map<string, ClassCounts>>()
  for (const [i, { name }] of relation.columns.entries())
    if (found.some(({ histograms }) => isAsked(histograms[i])))
      others.set(i, byClass(await otherValues(duck, from, quoteName(name), true)))
  return new Map(
    found.map(({ file, rows, cells, longest, histograms }) => {
      const columns = relation.columns.map(({ name, type }, i) => {
        const own = type === 'VARCHAR' ? {} : { native: type }
        const native = nativeClass(type)
        const there = Number(native === undefined ? 0 : cells[i])
        const counts =
          native !== undefined
            ? { ...(there > 0 ? { [native]: there } : {}), ...(rows > there ? { blank: rows - there } : {}) }
            : isAsked(histograms[i])
              ? { ...histograms[i]!.counts, ...others.get(i)?.get(file) }
              : withOther(histograms[i]!)
        return { name, ...own, counts, longest: longest[i]! }
      })
      return [file, { rows, columns }] as const
    }),
  )
}

/** Reads the tables of one file, whose format is not read together with others. */
async function readAlone(
  duck: DuckDBConnection,
  where: StoreFile,
  file: WalkedFile,
  detected: Known,
  folder: string,
): Promise<ReadFile> {
  const limit = file.size > largeFile ? rowsOfLarge : undefined
  try {
    const found = await formats[detected.kind].tables(duck, where, detected, folder)
    if (typeof found === 'string') return { file, tables: [], fault: found }
    const tables: TableShape[] = []
    for (const { relation, format, unnamed, rows } of found) {
      const refusal = columnsRefusal(relation.columns.length)
      if (refusal !== undefined) return { file, tables: [], fault: refusal }
      const seen = (await evidenceOf(duck, relation, limit)).get(where.full)
      const counted = rows ?? seen?.rows ?? 0
      tables.push({
        format,
        unnamed,
        rows: counted,
        broken: 0,
        estimated: limit !== undefined && rows === undefined && counted >= limit,
        columns:
          seen?.columns ??
          relation.columns.map(({ name, type }) => ({ name, native: type, counts: {}, longest: 0 })),
      })
    }
    return { file, tables, fault: null }
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

/** The first value of a class in a column of a file, and its row. */
export async function firstOfClass(
  duck: DuckDBConnection,
  relation: Relation,
  column: string,
  name: ValueClass,
): Promise<{ value: string; row: number } | undefined> {
  // what is none of the common classes may be of any: the first that is
  const reader = await duck.runAndReadAll(
    `select v, min(n) as n from (select ${trimSql(quoteName(column))} as v, row_number() over () as n from ${relation.sql}) where ${classSql('v')} in (${valueClasses.indexOf(name)}, ${otherClass}) group by v order by n`,
  )
  const row = reader.getRows().find(([value]) => classOf(String(value)) === name)
  return row ? { value: String(row[0]), row: Number(row[1]) } : undefined
}
