import { readFile, rename, stat } from 'node:fs/promises'
import { basename, join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import { groupBy } from '../../core/group'
import type { Transfer } from '../../core/job/document'
import { findDialect } from '../../core/files/dialect'
import { csvRecords } from '../../core/files/csvRecords'
import type { FileFact } from '../../core/plan/types'
import type { FileFormat } from '../../core/catalog/found'
import { folderValues } from '../../core/files/grouping'
import { unnamed } from '../../core/files/header'
import type { FileRecord } from '../../database/schema'
import { insideStore, Lister, type FileStore } from '../connectors/files/store'
import type { Service } from '../connectors/service/service'
import { detectFile, type Detected } from '../formats/detect'
import { documentTables, findRecords, objectSize } from '../formats/json/documents'
import { csvSql, openRelation, type Relation, type StoreFile } from '../formats/relation'
import { layDownSheets } from '../formats/xlsx/sheets'
import { layServiceDown } from '../connectors/service/layDown'
import { countable, fingerprint } from './count'
import { literal } from '../duck/duck'
import { StepFault, stepFault, type Outcome } from '../context/work'

/** What a transfer reads, opened and ready to be selected from by DuckDB. */
export interface Source {
  readonly empty: false
  /** What it is called in messages: its first file, or its address. */
  readonly label: string
  /** DuckDB's types; VARCHAR for text that is still to be read as what it is. */
  readonly columns: readonly { readonly name: string; readonly type: string }[]
  /** Stands after FROM. Where lines of text are read (`ofText`), columns are cast to these types as they are read. */
  readonly sql: (types: Readonly<Record<string, string>>) => string
  /** Lines that cannot be read as their types go to DuckDB's tables of rejects. */
  readonly ofText: boolean
  /** It flows once: what cannot be cast fails the load, since it cannot be looked at before. */
  readonly once?: boolean
  /** Settles when the source has given all it has, or tells why it could not. */
  readonly drained?: () => Promise<void>
  /** The counts, made apart from the reading; settled when the source was read through. */
  readonly counted: Promise<{
    readonly files: readonly FileRecord[]
    readonly rows: number
    readonly bytes: number
  }>
}

/** A source that has neither a header nor rows: an empty file. */
export interface EmptySource {
  readonly empty: true
  readonly label: string
  readonly counted: Source['counted']
}

type From = Transfer['from']

const kindsByEnding: readonly (readonly [RegExp, FileFormat['kind']])[] = [
  [/\.(ndjson|jsonl)(\.gz)?$/i, 'ndjson'],
  [/\.(json|geojson)(\.gz)?$/i, 'json'],
  [/\.xlsx$/i, 'xlsx'],
  [/\.parquet$/i, 'parquet'],
]
const kindByEnding = (path: string): FileFormat['kind'] =>
  kindsByEnding.find(([ending]) => ending.test(path))?.[1] ?? 'csv'

interface OpenedFile extends StoreFile {
  readonly size: number
  readonly modified: string
  readonly format: FileFormat
  readonly names: readonly string[]
}

/**
 * Opens the files that match a pattern. Those of one load have the same columns.
 * @throws StepFault `no-file`, `file`, `columns-differ`, `header`
 */
export async function openFiles(
  duck: DuckDBConnection,
  spec: Transfer,
  store: FileStore,
  { pattern, text }: { pattern: string; text: string },
  folder: string,
  outcome: Outcome,
): Promise<Source | EmptySource> {
  const { from } = spec
  const found = await new Lister(store).find(pattern)
  if (found.length === 0)
    throw new StepFault(
      {
        code: 'no-file',
        message: `no file matches ${text} in ${store.name}`,
        effect: 'nothing was written',
        advice: 'rerun when it has come, or mend the pattern',
      },
      from.missing === 'skip',
    )
  const opened: OpenedFile[] = []
  const all: (StoreFile & { size: number; modified: string; format: FileFormat })[] = []
  for (const file of found) {
    const full = await insideStore(store, file.path)
    const read = file.size === 0 ? undefined : await readHead(full, file.path, from)
    all.push({ ...file, full, format: read?.format ?? { kind: 'csv' } })
    if (read) opened.push({ ...file, full, ...read })
  }
  const label = found[0]!.path
  if (opened.length === 0) {
    outcome.log.push(`${found.map(({ path }) => path).join(', ')}: no header and no rows`)
    const counted = recordsOf(store, all, () => 0)
    return { empty: true, label, counted }
  }
  const kinds = new Set(opened.map(({ format }) => format.kind))
  if (kinds.size > 1)
    stepFault(
      'file',
      `${label} and others are files of different kinds: ${[...kinds].join(', ')}`,
      'load each kind by rows of its own',
    )
  const [first] = opened
  const { kind } = first!.format
  if (kind === 'csv') {
    checkNames(opened)
    if (from.format === 'detect')
      for (const { path, format } of opened) outcome.log.push(`${path}: read as ${JSON.stringify(format)}`)
    const counted = recordsOf(store, all, () => 0)
    counted.catch(() => {})
    return { empty: false, label, ofText: true, counted, ...csvSource(opened) }
  }
  if (kind === 'xlsx')
    return { empty: false, label, ofText: true, ...(await sheetSource(store, opened, from, folder)) }
  const typed = await typedRelation(duck, opened, from, folder)
  const counts = await ownCounts(duck, opened, typed.format)
  const counted = recordsOf(store, all, (full) => counts.get(full))
  counted.catch(() => {})
  return {
    empty: false,
    label,
    ofText: false,
    columns: typed.relation.columns,
    sql: () => typed.relation.sql,
    counted,
  }
}

/** Columns that the head of a file of text names; undefined for other files, and where it cannot be read. */
export async function headerOf(store: FileStore, file: FileFact, from: From): Promise<string[] | undefined> {
  if (file.size === 0) return undefined
  const read = await insideStore(store, file.path)
    .then((full) => readHead(full, file.path, from))
    .catch(() => undefined)
  return read && read.names.length > 0 ? [...read.names] : undefined
}

/** How a file is to be read, and the columns that its head names. @throws StepFault `file` */
async function readHead(
  full: string,
  path: string,
  from: From,
): Promise<{ format: FileFormat; names: readonly string[] } | undefined> {
  const detected = await detectFile(
    full,
    from.format && from.format !== 'detect' && from.format !== 'xlsx' && from.format !== 'parquet'
      ? 'file'
      : path,
  )
  if ('reason' in detected)
    stepFault('file', `${path}: ${detected.reason}`, 'look at the file; is it what it should be?')
  const packed = detected.gzip ? { gzip: true } : {}
  const kind = from.format === 'detect' ? detected.kind : (from.format ?? kindByEnding(path))
  if (kind !== 'csv')
    return {
      format: { kind, ...packed, ...(from.sheet === undefined ? {} : { sheet: from.sheet }) },
      names: [],
    }
  if (from.format === 'detect') {
    const dialect = findDialect(detected.sample, detected.whole)
    if (!dialect) return undefined
    const encoding = detected.encoding === 'utf-8' ? {} : { encoding: detected.encoding }
    return {
      format: { ...dialect.format, ...packed, ...encoding },
      names: dialect.format.header ? dialect.names : (from.names ?? dialect.names),
    }
  }
  const format: FileFormat = {
    kind, delimiter: from.delimiter, header: from.header, ...packed,
    ...(from.quote ? { quote: from.quote } : {}), ...(from.skip ? { skip: from.skip } : {}), ...(from.comment ? { comment: from.comment } : {}),
    ...(from.decimal === ',' ? { decimal: ',' as const } : {}), ...(from.encoding === 'utf-8' ? {} : { encoding: from.encoding }),
  } // prettier-ignore
  const record = firstRecord(sampleText(detected, from), from)
  if (!record) return undefined
  return { format, names: from.header ? record : (from.names ?? unnamed(record.length)) }
}

/** The sample in the encoding that the job says, which may be another than the one guessed. */
function sampleText(detected: Exclude<Detected, { reason: string }>, from: From): string {
  if (detected.encoding === 'latin-1' && from.encoding === 'utf-8')
    return Buffer.from(detected.sample, 'latin1').toString('utf8')
  return detected.sample
}

function firstRecord(
  text: string,
  { delimiter, quote = '"', skip = 0, comment }: From,
): string[] | undefined {
  let rest = text.replace(/^\uFEFF/, '')
  for (let i = 0; i < skip; i++) rest = rest.slice(rest.indexOf('\n') + 1 || rest.length + 1)
  if (comment !== undefined)
    rest = rest
      .split('\n')
      .filter((line) => !line.startsWith(comment))
      .join('\n')
  return csvRecords(rest, { delimiter, quote, limit: 1 })[0]
}

function checkNames(files: readonly OpenedFile[]): void {
  const [first] = files
  const odd = files.find(({ names }) => names.join('\n') !== first!.names.join('\n'))
  if (odd)
    stepFault(
      'columns-differ',
      `${odd.path} has other columns than ${first!.path}`,
      'load files of different columns by rows of their own',
    )
  const { names, path } = first!
  const twice = names.find((name, i) => names.indexOf(name) !== i)
  if (twice !== undefined) stepFault('header', `${path}: the header names "${twice}" twice`, 'mend the file')
  const blank = names.findIndex((name) => name.trim() === '')
  if (blank >= 0)
    stepFault('header', `${path}: column ${blank + 1} of the header has no name`, 'mend the file')
}

/** CSV files of the same columns, each dialect by a reader of its own. */
function csvSource(files: readonly OpenedFile[]): Pick<Source, 'columns' | 'sql'> {
  const names = files[0]!.names
  const folders = [
    ...new Set(files.flatMap(({ path }) => folderValues(path).values.map(({ name }) => name))),
  ].filter((name) => !names.includes(name))
  const groups = [...groupBy(files, ({ format }) => JSON.stringify(format)).values()]
  const sql = (types: Readonly<Record<string, string>>): string => {
    const readers = groups.map((group) =>
      csvSql(
        group.map(({ full }) => full),
        group[0]!.format,
        names,
        { types, rejects: true },
      ),
    )
    const all =
      readers.length === 1
        ? readers[0]!
        : `(${readers.map((reader) => `select * from ${reader}`).join(' union all ')})`
    if (folders.length === 0) return all
    const rows = files.map(({ full, path }) => {
      const { values } = folderValues(path)
      const cells = folders.map((name) => {
        const value = values.find((entry) => entry.name === name)?.value
        return value === undefined ? 'null' : `cast(${literal(value)} as ${types[name] ?? 'VARCHAR'})`
      })
      return `(${[literal(full), ...cells].join(', ')})`
    })
    const list = folders.map((name) => `"${name}"`).join(', ')
    return `(select f.*, ${folders.map((name) => `v."${name}"`).join(', ')} from ${all} f join (values ${rows.join(', ')}) v(mattock_file, ${list}) using (mattock_file))`
  }
  return { columns: [...names, ...folders].map((name) => ({ name, type: 'VARCHAR' })), sql }
}

/** Sheets laid down as CSV; each keeps its book's name, so that rejects tell it. */
async function sheetSource(
  store: FileStore,
  files: readonly OpenedFile[],
  from: From,
  folder: string,
): Promise<Pick<Source, 'columns' | 'sql' | 'counted'>> {
  const laid: OpenedFile[] = []
  const rows = new Map<string, number>()
  for (const [i, file] of files.entries()) {
    const place = join(folder, `book-${i}`)
    const book = await layDownSheets(file.full, file.path, place, from.sheet)
    const [sheet] = book.sheets
    if (!sheet) {
      const reasons = book.without.map(({ name, reason }) => `${name}: ${reason}`).join('; ')
      stepFault(
        'file',
        `${file.path} has no sheet ${from.sheet ?? ''} that holds a table${reasons ? ` (${reasons})` : ''}`,
        'look at the file',
      )
    }
    const csv = join(place, basename(file.path))
    await rename(sheet.csv, csv)
    rows.set(file.full, sheet.rows)
    laid.push({
      ...file,
      full: csv,
      format: { kind: 'csv', ...(from.decimal === ',' ? { decimal: ',' as const } : {}) },
      names: sheet.place.names,
    })
  }
  checkNames(laid)
  const counted = recordsOf(store, files, (full) => rows.get(full))
  counted.catch(() => {})
  return { ...csvSource(laid), counted }
}

async function typedRelation(
  duck: DuckDBConnection,
  files: readonly OpenedFile[],
  from: From,
  folder: string,
): Promise<{ relation: Relation; format: FileFormat }> {
  const { format } = files[0]!
  if (format.kind === 'parquet')
    return { relation: await openRelation(duck, files, format, [], folder), format }
  const given = { ...format, ...(from.records ? { records: from.records } : {}) }
  const whole =
    from.records || format.kind === 'ndjson' ? given : await findRecords(duck, [files[0]!.full], given)
  const read: FileFormat = { ...whole, ...(from.inner ? { inner: from.inner } : {}) }
  return { relation: await openRelation(duck, files, read, [], folder), format: read }
}

/** Rows of files that no counting of lines can tell: Parquet says them in its footer, JSON by the lengths of its lists. */
async function ownCounts(
  duck: DuckDBConnection,
  files: readonly OpenedFile[],
  format: FileFormat,
): Promise<Map<string, number>> {
  const counts = new Map<string, number>()
  if (format.kind === 'ndjson' && !format.inner) return counts
  for (const { full } of files) {
    const sql =
      format.kind === 'parquet'
        ? `select num_rows from parquet_file_metadata(${literal(full)})`
        : await lengthSql(duck, full, format)
    if (sql === undefined) counts.set(full, topLevelEntries(await readFile(full)))
    else counts.set(full, Number((await duck.runAndReadAll(sql)).getRows()[0]![0] ?? 0))
  }
  return counts
}

async function lengthSql(
  duck: DuckDBConnection,
  full: string,
  format: FileFormat,
): Promise<string | undefined> {
  if (format.inner) {
    const tables = await documentTables(duck, [full], { ...format, inner: '' })
    const table = tables.find(({ inner }) => inner === format.inner)
    return table ? `select count(*) from (${table.sql})` : 'select 0'
  }
  if (!format.records)
    return format.gzip
      ? `select count(*) from read_json_objects(${literal(full)}, format = 'array', compression = 'gzip', maximum_object_size = ${objectSize([full], format)})`
      : undefined
  const path = `$.${format.records}`
  return `select sum(json_array_length(json, ${literal(path)})) from read_json_objects(${literal(full)}, format = 'unstructured', maximum_object_size = ${objectSize([full], format)}${format.gzip ? ", compression = 'gzip'" : ''})`
}

/** Entries of the one list that a JSON text is (RFC 8259), counted without reading what they are. */
export function topLevelEntries(text: Buffer): number {
  let depth = 0
  let quoted = false
  let entries = 0
  let filled = false
  for (let i = 0; i < text.length; i++) {
    const byte = text[i]!
    if (quoted) {
      if (byte === 0x5c) i++
      else if (byte === 0x22) quoted = false
      continue
    }
    if (byte === 0x22) quoted = true
    if (byte === 0x5b || byte === 0x7b) {
      if (depth === 1) filled = true
      depth++
    } else if (byte === 0x5d || byte === 0x7d) {
      depth--
      if (depth === 0 && filled) entries++
    } else if (depth === 1) {
      if (byte === 0x2c) {
        entries++
        filled = false
      } else if (byte > 0x20) filled = true
    }
  }
  return entries
}

/** The files' checksums and counts, made beside the reading; a file that changed meanwhile is a fault. */
async function recordsOf(
  store: FileStore,
  files: readonly (StoreFile & { size: number; modified: string; format: FileFormat })[],
  known: (full: string) => number | undefined,
): Promise<{ files: FileRecord[]; rows: number; bytes: number }> {
  const records = await Promise.all(
    files.map(async ({ path, full, size, modified, format }): Promise<FileRecord> => {
      const print = await fingerprint(full, format).catch((error: Error & { code?: string }) => {
        if (error.code?.startsWith('Z_'))
          stepFault(
            'file',
            `${path}: gzip that cannot be unpacked to its end: it is broken off or damaged`,
            'have it sent again',
          )
        throw error
      })
      const now = await stat(full)
      if (now.size !== size || now.mtime.toISOString() !== modified || print.bytes !== size)
        stepFault('file-changed', `${path} changed while it was read`, 'rerun when it is complete')
      const rows = size > 0 && countable(format) ? print.records : (known(full) ?? 0)
      return { store: store.name, path, size, modified, sha256: print.sha256, records: rows }
    }),
  )
  return {
    files: records,
    rows: records.reduce((sum, { records: n }) => sum + n, 0),
    bytes: records.reduce((sum, { size }) => sum + size, 0),
  }
}

/** Opens what a service answers, all pages of it; it is laid down first, so that its rows take effect once or not at all. */
export async function openAnswer(
  duck: DuckDBConnection,
  spec: Transfer,
  service: Service,
  path: string,
  folder: string,
  signal: AbortSignal,
  outcome: Outcome,
): Promise<Source | EmptySource> {
  const file = join(folder, 'answer.ndjson')
  const pauses = new Map<string, number>()
  const onPause = (reason: string) => pauses.set(reason, (pauses.get(reason) ?? 0) + 1)
  const laid = await layServiceDown(service, path, file, { signal, onPause, records: spec.from.records })
  for (const [reason, times] of pauses)
    outcome.log.push(`${reason}: waited and asked again, ${times} ${times === 1 ? 'time' : 'times'}`)
  outcome.log.push(
    `${service.name}${path}: ${laid.pages} pages, ${laid.records.toLocaleString('en')} records, ${laid.bytes.toLocaleString('en')} bytes`,
  )
  const counted = (rows: number) => Promise.resolve({ files: [], rows, bytes: laid.bytes })
  if (laid.records === 0) return { empty: true, label: path, counted: counted(0) }
  const format: FileFormat = { kind: 'ndjson', ...(spec.from.inner ? { inner: spec.from.inner } : {}) }
  const relation = await openRelation(duck, [{ full: file, path: 'answer.ndjson' }], format, [], folder)
  const rows = spec.from.inner
    ? Number((await duck.runAndReadAll((await lengthSql(duck, file, format))!)).getRows()[0]![0])
    : laid.records
  return {
    empty: false,
    label: path,
    ofText: false,
    columns: relation.columns,
    sql: () => relation.sql,
    counted: counted(rows),
  }
}
