import { createWriteStream } from 'node:fs'
import { mkdir, open, readdir, rename, rm, stat } from 'node:fs/promises'
import { basename, dirname, join, posix, relative, resolve, sep } from 'node:path'
import { realpath } from 'node:fs/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import ExcelJS from 'exceljs'
import { quoteName } from '../../core/text/slot'
import { fail } from '../../core/fault'
import type { ToFiles } from '../../core/job/document'
import { duckTypeFor, postgresTypeFor } from '../../core/catalog/types'
import { rulesFor, shapedSql } from '../../core/shape/shape'
import type { FileStore } from '../connectors/files/store'
import { castColumns, keepMiscast } from '../reading/cast'
import { literal } from '../duck/duck'
import type { EmptySource, Source } from '../reading/files'
import { checkRejects, keepBrokenLines, noteCounts, sourceColumns } from './toTable'
import { StepFault, stepFault, type Outcome, type Work } from '../context/work'

export interface FileTarget {
  readonly store: FileStore
  /** Path of the file; of the folder where it is split. */
  readonly path: string
  readonly spec: ToFiles
}

/**
 * Writes what a source gives as files: under a temporary name beside the target, then renamed, so that a reader sees
 * the old file or the new one, never half of it. A load that is done again writes the same file again.
 */
export async function toFiles(
  duck: DuckDBConnection,
  source: Source | EmptySource,
  target: FileTarget,
  work: Work,
  outcome: Outcome,
): Promise<void> {
  const { spec } = target
  if (source.empty) {
    const { rows } = await noteCounts(source, outcome)
    outcome.counts = { ...outcome.counts, read: rows }
    return stepFault(
      'no-columns',
      `${source.label} has neither a header nor rows, so there is nothing to write`,
      'look whether the source is complete',
    )
  }
  outcome.sourceColumns = source.columns.map(({ name, type }) => (source.ofText ? { name } : { name, type }))
  const columns = sourceColumns(source.columns.map(({ name }) => name), spec) // prettier-ignore
  const native = new Map(source.columns.map(({ name, type }) => [name, type]))
  const wanted = [...columns].map(([name, from]) => {
    const given = spec.types?.[name]
    return { name, source: from, type: given ? duckTypeFor(postgresTypeFor(given)) : native.get(from)! }
  })
  const cast = castColumns(source, wanted)
  const list = wanted.map(({ name, type }, i) => {
    const text =
      type === 'VARCHAR'
        ? shapedSql(cast.operands[i]!, rulesFor({ name, type: 'text' }, spec.shape ?? []))
        : cast.operands[i]!
    return `${text} as ${quoteName(name)}`
  })
  const rejectedBefore = await keepMiscast(duck, source, cast, work, outcome)
  const written = await writeFiles(
    duck,
    `select ${list.join(', ')} from ${cast.from}`,
    target,
    work,
    outcome,
    async (wrote) => {
      // a source that broke off looks to its reader like one that ended
      await source.drained?.()
      const rejected =
        rejectedBefore + (source.ofText ? await keepBrokenLines(duck, source, work, outcome) : 0)
      const { rows } = await noteCounts(source, outcome)
      outcome.counts = { ...outcome.counts, read: rows, rejected }
      checkRejects(spec, rows, rejected, outcome)
      for (const check of spec.check ?? []) {
        if (!check.rows)
          stepFault(
            'check',
            'only the number of rows can be checked before files are written',
            'check them with a check step',
          )
        if (wrote < (check.rows.at_least ?? 0))
          stepFault(
            'check',
            `${wrote} rows in what was read, at least ${check.rows.at_least} are expected`,
            'look whether the source is complete',
          )
        if (wrote > (check.rows.at_most ?? Infinity))
          stepFault(
            'check',
            `${wrote} rows in what was read, at most ${check.rows.at_most} are expected`,
            'look at the source',
          )
      }
    },
  )
  outcome.counts = { ...outcome.counts, written }
}

type Format = 'csv' | 'ndjson' | 'parquet' | 'xlsx'

const endings: Record<Format, string> = { csv: 'csv', ndjson: 'ndjson', parquet: 'parquet', xlsx: 'xlsx' }

/** The format by the job, else by the ending. @throws StepFault `format` */
export function formatOf({ spec, path }: FileTarget): Format {
  if (spec.into.format) return spec.into.format
  const ending = /\.(csv|tsv|ndjson|jsonl|parquet|xlsx)(\.(gz|zst))?$/i.exec(path)?.[1]?.toLowerCase()
  if (ending === 'jsonl') return 'ndjson'
  if (ending === 'tsv') return 'csv'
  return (
    (ending as Format | undefined) ??
    stepFault(
      'format',
      `${path} does not end like a format that can be written`,
      'set format: csv, ndjson, parquet or xlsx',
    )
  )
}

/**
 * Where a file of the store may be written: below its root, whatever links lie on the way; folders are made.
 * @throws FaultError `path`
 */
async function placeFor(store: FileStore, path: string): Promise<string> {
  const parts = path.split('/')
  if (
    path === '' ||
    path.includes('\0') ||
    path.startsWith('/') ||
    /^[A-Za-z]:/.test(path) ||
    parts.includes('..') ||
    parts.some((part) => part.startsWith('.mattock-'))
  )
    fail('path', `"${path}" is no path within the store ${store.name}`)
  const root = await realpath(store.root)
  const full = resolve(root, path)
  await mkdir(dirname(full), { recursive: true })
  const folder = await realpath(dirname(full))
  if (folder !== root && !folder.startsWith(root + sep))
    fail('path', `"${path}" leads out of the store ${store.name}`)
  return join(folder, basename(full))
}

/** Runs a SELECT into files. `before` is asked, with the rows written, before any of them is seen. Returns the rows. */
export async function writeFiles(
  duck: DuckDBConnection,
  select: string,
  target: FileTarget,
  work: Work,
  outcome: Outcome,
  before: (rows: number) => Promise<void>,
): Promise<number> {
  const { spec, store } = target
  const format = formatOf(target)
  const { split } = spec.into
  const full = await placeFor(store, split ? `${target.path.replace(/\/+$/, '')}/x` : target.path)
  const own = join(split ? dirname(dirname(full)) : dirname(full), `.mattock-${work.load}-${work.step}`)
  const start = performance.now()
  const stop = () => duck.interrupt()
  work.signal.addEventListener('abort', stop)
  try {
    await rm(own, { recursive: true, force: true })
    const rows =
      format === 'xlsx'
        ? await writeSheet(duck, select, own)
        : await copyTo(duck, select, own, format, target)
    outcome.statements.push({
      on: store.name,
      text: select,
      rows,
      milliseconds: Math.round(performance.now() - start),
    })
    if (format === 'parquet') await checkParquet(duck, own, split !== undefined, rows)
    await before(rows)
    if (work.signal.aborted) throw stopped()
    if (split) await swapFolder(own, dirname(full))
    else {
      await flush(own)
      await rename(own, full)
      await flush(dirname(full))
    }
    await noteWritten(store, split ? dirname(full) : full, outcome)
    return rows
  } catch (error) {
    if (work.signal.aborted) throw stopped()
    throw error
  } finally {
    work.signal.removeEventListener('abort', stop)
    await rm(own, { recursive: true, force: true })
  }
}

const stopped = () =>
  new StepFault({ code: 'stopped', message: 'stopped', effect: 'nothing was written', advice: 'rerun it' })

async function copyTo(
  duck: DuckDBConnection,
  select: string,
  file: string,
  format: Exclude<Format, 'xlsx'>,
  { spec, path }: FileTarget,
): Promise<number> {
  const { into } = spec
  const compress = into.compress ?? (/\.gz$/i.test(path) ? 'gzip' : /\.zst$/i.test(path) ? 'zstd' : undefined)
  const options = [
    `format ${format === 'ndjson' ? 'json' : format}`,
    ...(format === 'csv'
      ? ['header true', `delimiter ${literal(/\.tsv(\.|$)/i.test(path) ? '\t' : into.delimiter)}`]
      : []),
    ...(compress ? [`compression ${literal(compress === 'none' ? 'uncompressed' : compress)}`] : []),
    ...(into.split?.by
      ? [`partition_by (${into.split.by.map(quoteName).join(', ')})`, "filename_pattern 'part-{i}'"]
      : []),
    ...(into.split?.bytes ? [`file_size_bytes ${into.split.bytes}`, "filename_pattern 'part-{i}'"] : []),
    ...(into.split
      ? [
          `file_extension ${literal(endings[format] + (format !== 'parquet' && compress === 'gzip' ? '.gz' : ''))}`,
        ]
      : ['use_tmp_file false']),
  ]
  const reader = await duck.runAndReadAll(`copy (${select}) to ${literal(file)} (${options.join(', ')})`)
  return Number(reader.getRows()[0]![0])
}

/** Rows of a sheet that XLSX allows, the header among them (ECMA-376: 2^20). */
const sheetRows = 1_048_576

/** Writes a sheet as a stream; here rows do become values, since no other writer is at hand. */
async function writeSheet(duck: DuckDBConnection, select: string, file: string): Promise<number> {
  const stream = createWriteStream(file)
  const book = new ExcelJS.stream.xlsx.WorkbookWriter({ stream, useStyles: true, useSharedStrings: false })
  const sheet = book.addWorksheet('data')
  const result = await duck.stream(select)
  const types = result.columnTypes().map((type) => type.toString())
  sheet.addRow(result.columnNames()).commit()
  let rows = 0
  for (;;) {
    const chunk = await result.fetchChunk()
    if (!chunk || chunk.rowCount === 0) break
    rows += chunk.rowCount
    if (rows >= sheetRows)
      stepFault(
        'rows',
        `more than ${sheetRows.toLocaleString('en')} rows do not fit into an XLSX sheet`,
        'write CSV or Parquet',
      )
    for (const values of chunk.getRows())
      sheet.addRow(values.map((value, i) => cellOf(value, types[i]!))).commit()
  }
  sheet.commit()
  await book.commit()
  return rows
}

function cellOf(value: unknown, type: string): ExcelJS.CellValue {
  if (value === null || value === undefined) return null
  if (type === 'BOOLEAN' || typeof value === 'number' || typeof value === 'string')
    return value as ExcelJS.CellValue
  // a number of more than 15 digits would be rounded by every program for sheets
  if (typeof value === 'bigint')
    return Number.isSafeInteger(Number(value)) && String(value).length <= 15 ? Number(value) : String(value)
  const text = String(value)
  if (type === 'DATE') return new Date(`${text}T00:00:00Z`)
  if (/^TIMESTAMP/.test(type)) {
    // without a zone it is written as it reads; with one, in UTC
    const zoned = /[+-]\d\d(:\d\d)?$/.exec(text)?.[0]
    const plain = (zoned ? text.slice(0, -zoned.length) : text).replace(' ', 'T')
    const at = new Date(`${plain}${zoned ? (zoned.length === 3 ? `${zoned}:00` : zoned) : 'Z'}`)
    return Number.isNaN(at.getTime()) ? text : at
  }
  if (/^DECIMAL/.test(type) && text.replace(/[-.]/g, '').length <= 15) return Number(text)
  return text
}

/** The footers of what was written must say as many rows as were read into them. */
async function checkParquet(
  duck: DuckDBConnection,
  own: string,
  folder: boolean,
  rows: number,
): Promise<void> {
  if (rows === 0 && folder) return
  const glob = folder ? `${own}/**/*.parquet` : own
  const reader = await duck.runAndReadAll(`select sum(num_rows) from parquet_file_metadata(${literal(glob)})`)
  const found = Number(reader.getRows()[0]![0])
  if (found !== rows)
    stepFault(
      'lost-rows',
      `${rows} rows were read and ${found} are in the files`,
      'rerun; tell us if it happens again',
    )
}

async function flush(path: string): Promise<void> {
  const handle = await open(path, 'r')
  try {
    await handle.sync()
  } finally {
    await handle.close()
  }
}

/** Puts a folder of new files in the place of the old one; a fault between the two steps is mended by the next attempt. */
async function swapFolder(own: string, full: string): Promise<void> {
  await mkdir(own, { recursive: true })
  for (const file of await filesBelow(own)) await flush(file)
  const old = `${own}-old`
  await rm(old, { recursive: true, force: true })
  await rename(full, old).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ENOENT') throw error
  })
  await rename(own, full)
  await flush(dirname(full))
  await rm(old, { recursive: true, force: true })
}

async function filesBelow(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { withFileTypes: true, recursive: true })
  return entries.filter((entry) => entry.isFile()).map((entry) => join(entry.parentPath, entry.name))
}

async function noteWritten(store: FileStore, full: string, outcome: Outcome): Promise<void> {
  const root = await realpath(store.root)
  const facts = await stat(full)
  const files = facts.isDirectory() ? await filesBelow(full) : [full]
  let bytes = 0
  for (const file of files) bytes += (await stat(file)).size
  const path = relative(root, full).split(sep).join(posix.sep)
  outcome.log.push(
    `wrote ${path}${facts.isDirectory() ? `: ${files.length} files` : ''}, ${bytes.toLocaleString('en')} bytes`,
  )
  outcome.bytes ||= bytes
}
