import { mkdir, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import { from as copyFrom } from 'pg-copy-streams'
import { quoteName } from '../../core/expression/slot'
import type { Transfer } from '../../core/job/document'
import { duckTypeFor, valueTypeOf } from '../../core/schema/types'
import { rulesFor, shapedSql } from '../../core/shape/shape'
import type { FileRecord } from '../../database/schema'
import { fingerprint, headerOf, insideStore, Lister, type FileStore } from '../connectors/files'
import { qualified, type TargetTable } from '../connectors/postgres'
import { literal, literalList, makePipe, withDuck } from './duck'
import { applyStage, goesStraight, makeStage, prepareTarget, typeFor, writeMarker } from './target'
import { stepFault, StepFault, type Outcome, type Work } from './types'

export interface CsvTransfer {
  readonly store: FileStore
  /** Pattern with the wildcards of values escaped. */
  readonly pattern: string
  readonly text: string
  readonly table: TargetTable
  readonly spec: Transfer
}

/**
 * Loads CSV files into a Postgres table: DuckDB reads, checks and casts, a pipe carries CSV to COPY, one transaction
 * applies it and leaves the marker. Rows never become JavaScript values. Runs inside the transaction of `client`.
 */
export async function csvToTable(
  client: pg.PoolClient,
  transfer: CsvTransfer,
  work: Work,
  outcome: Outcome,
): Promise<void> {
  const { store, spec, table } = transfer
  const delimiter = spec.from.delimiter
  const found = await new Lister(store).find(transfer.pattern)
  if (found.length === 0) missingFile(transfer)
  const paths = await Promise.all(found.map(({ path }) => insideStore(store, path)))
  const headers = await Promise.all(found.map(({ path }) => headerOf(store, path, delimiter)))
  const header = headers.find((fields) => fields !== undefined)
  // counts and checksums are made beside the load, on their own reading of the file
  const prints = Promise.all(paths.map((path) => fingerprint(path, delimiter)))
  prints.catch(() => {})
  if (!header) {
    outcome.files.push(...(await fileRecords(store, found, paths, await prints)))
    outcome.log.push(`${found.map(({ path }) => path).join(', ')}: no header and no rows`)
    return await finishWithRows(client, transfer, [], 0, work, outcome)
  }
  const odd = headers.findIndex((fields) => fields && fields.join('\n') !== header.join('\n'))
  if (odd >= 0)
    stepFault(
      'columns-differ',
      `${found[odd]!.path} has other columns than ${found[0]!.path}`,
      'load files of different columns by rows of their own',
    )
  checkHeader(header, found[0]!.path)
  outcome.sourceColumns = header.map((name) => ({ name }))
  // which of several rows is the last is only known in the order of the file
  const numbered = spec.into.repeats === 'keep-last'
  await withDuck(work.zone, numbered, async (duck) => {
    const sourceOf = sourceColumns(header, spec)
    const offered = await offeredColumns(duck, header, sourceOf, paths, transfer)
    const columns = await prepareTarget(client, table, spec, offered, outcome)
    const mapped = columns.filter(({ name }) => sourceOf.has(name))
    if (mapped.length === 0)
      stepFault(
        'no-columns',
        `no column of ${found[0]!.path} is one of ${table.schema}.${table.name}: it has ${header.join(', ')}`,
        'map them with columns:',
      )
    for (const name of spec.into.key ?? []) {
      if (!mapped.some((column) => column.name === name))
        stepFault('no-key', `${found[0]!.path} has no column for the key "${name}"`, 'map it with columns:')
    }
    const names = mapped.map(({ name }) => name)
    const straight = goesStraight(spec)
    if (!straight) await makeStage(client, table, names, numbered, outcome, spec.into.connection)
    const into = straight ? qualified(table) : 'mattock_stage'
    const select = mapped.map(({ name, type }) => {
      const source = quoteName(sourceOf.get(name)!)
      if (type === 'timestamp with time zone') return instantText(source)
      return shapedSql(source, rulesFor({ name, type: valueTypeOf(type) }, spec.shape ?? []))
    })
    const types = header.map((name) => {
      const target = mapped.find((column) => sourceOf.get(column.name) === name)
      return `${literal(name)}: ${literal(target ? duckTypeFor(target.type) : 'VARCHAR')}`
    })
    const read = `read_csv(${literalList(paths)}, header = true, auto_detect = false, delim = ${literal(delimiter)}, quote = '"', escape = '"', allow_quoted_nulls = false, store_rejects = true, rejects_limit = 0, columns = {${types.join(', ')}})`
    const copied = await pump(
      client,
      duck,
      `select ${select.join(', ')} from ${read}`,
      `copy ${into} (${names.map(quoteName).join(', ')}) from stdin (format csv)`,
      spec.into.connection,
      work,
      outcome,
    )
    const rejected = await keepRejects(duck, work, outcome, header)
    const records = await prints
    outcome.files.push(...(await fileRecords(store, found, paths, records)))
    outcome.bytes = records.reduce((sum, { bytes }) => sum + bytes, 0)
    const nonEmpty = records.filter((print) => print.records > 0).length
    const readRows = records.reduce((sum, print) => sum + print.records, 0) - nonEmpty
    outcome.counts = { ...outcome.counts, read: readRows, rejected }
    checkRejects(spec, readRows, rejected, outcome)
    if (straight) {
      outcome.counts = { ...outcome.counts, written: copied }
      await writeMarker(client, work, outcome)
    } else await finishWithRows(client, transfer, names, copied, work, outcome)
  })
}

/**
 * A point in time as text in UTC. Quicker than DuckDB's own writing of it by a third of the whole reading, and right
 * for the odd offsets before standard time, whose seconds that writing drops.
 */
const instantText = (column: string): string =>
  `case when isfinite(${column}) then make_timestamp(epoch_us(${column}))::varchar || '+00' else ${column}::varchar end`

/** Applies what is staged and leaves the marker; the caller commits. */
async function finishWithRows(
  client: pg.PoolClient,
  { table, spec }: CsvTransfer,
  names: readonly string[],
  staged: number,
  work: Work,
  outcome: Outcome,
): Promise<void> {
  if (names.length === 0) {
    for (const check of spec.check ?? []) {
      if ((check.rows?.at_least ?? 0) > 0)
        stepFault(
          'check',
          `0 rows in what was read, at least ${check.rows!.at_least} are expected`,
          'look whether the source is complete',
        )
    }
  } else {
    const applied = await applyStage(client, table, names, spec, staged, work, outcome)
    outcome.counts = { ...outcome.counts, ...applied }
  }
  await writeMarker(client, work, outcome)
}

function missingFile({ text, store, spec }: CsvTransfer): never {
  throw new StepFault(
    {
      code: 'no-file',
      message: `no file matches ${text} in ${store.name}`,
      effect: 'nothing was written',
      advice: 'rerun when it has come, or mend the pattern',
    },
    spec.from.missing === 'skip',
  )
}

function checkHeader(header: readonly string[], path: string): void {
  const twice = header.find((name, i) => header.indexOf(name) !== i)
  if (twice !== undefined) stepFault('header', `${path}: the header names "${twice}" twice`, 'mend the file')
  if (header.some((name) => name.trim() === ''))
    stepFault(
      'header',
      `${path}: column ${header.findIndex((name) => name.trim() === '') + 1} of the header has no name`,
      'mend the file',
    )
}

/** Target column → source column, by the job's map, else by name: as written, then in lower case without blanks around. */
function sourceColumns(header: readonly string[], spec: Transfer): Map<string, string> {
  const found = new Map<string, string>()
  const taken = new Set(Object.values(spec.columns ?? {}))
  for (const name of header) if (!taken.has(name)) found.set(name, name)
  for (const name of header) {
    const plain = name.trim().toLowerCase()
    if (!taken.has(name) && plain !== name && !found.has(plain)) {
      found.set(plain, name)
      found.delete(name)
    }
  }
  for (const [target, source] of Object.entries(spec.columns ?? {})) {
    if (!header.includes(source))
      stepFault(
        'no-column',
        `the source has no column "${source}", which columns: maps to ${target}; it has ${header.join(', ')}`,
        'mend columns: in the job',
      )
    found.set(target, source)
  }
  return found
}

/** What the source offers to a table that is not there yet: types from the job, else from a look at the file. */
async function offeredColumns(
  duck: DuckDBConnection,
  header: readonly string[],
  sourceOf: ReadonlyMap<string, string>,
  paths: readonly string[],
  { spec }: CsvTransfer,
) {
  const untyped = [...sourceOf.keys()].some((name) => !spec.types?.[name])
  const sniffed = new Map<string, string>()
  if (untyped) {
    const reader = await duck.runAndReadAll(
      `describe select * from read_csv(${literalList(paths)}, header = true, delim = ${literal(spec.from.delimiter)}, quote = '"', escape = '"', ignore_errors = true)`,
    )
    for (const [name, type] of reader.getRows() as [string, string][])
      sniffed.set(name, postgresFromDuck(type))
  }
  return [...sourceOf].map(([name, source]) => ({
    name,
    type: typeFor(name, spec, sniffed.get(source) ?? 'text'),
  }))
}

function postgresFromDuck(type: string): string {
  const like: Record<string, string> = {
    BIGINT: 'bigint',
    INTEGER: 'bigint',
    DOUBLE: 'double precision',
    BOOLEAN: 'boolean',
    DATE: 'date',
    TIME: 'time',
    TIMESTAMP: 'timestamp',
    'TIMESTAMP WITH TIME ZONE': 'timestamp with time zone',
  }
  return like[type] ?? 'text'
}

/** DuckDB writes CSV into the pipe, COPY reads it. Returns the rows that Postgres took. */
async function pump(
  client: pg.PoolClient,
  duck: DuckDBConnection,
  select: string,
  copy: string,
  on: string,
  work: Work,
  outcome: Outcome,
): Promise<number> {
  const pipe = await makePipe()
  const start = performance.now()
  const onAbort = () => duck.interrupt()
  work.signal.addEventListener('abort', onAbort)
  try {
    const sink = client.query(copyFrom(copy))
    const written = duck
      .runAndReadAll(
        `copy (${select}) to ${literal(pipe.path)} (format csv, header false, use_tmp_file false)`,
      )
      .then(
        (result) => {
          pipe.finish()
          return Number(result.getRows()[0]![0])
        },
        (error: Error) => {
          // the stream must fail, not end: an end would commit half a file
          pipe.stream.destroy(error)
          throw error
        },
      )
    // COPY's own fault says more than the broken pipe that DuckDB sees because of it
    const [produced, pumped] = await Promise.allSettled([written, pipeline(pipe.stream, sink)])
    if (work.signal.aborted)
      throw new StepFault({
        code: 'stopped',
        message: 'stopped',
        effect: 'nothing was written',
        advice: 'rerun it',
      })
    const databaseError =
      pumped.status === 'rejected' &&
      (pumped.reason as { code?: string }).code !== undefined &&
      /^[0-9A-Z]{5}$/.test(String((pumped.reason as { code?: string }).code))
    if (pumped.status === 'rejected' && databaseError) throw pumped.reason
    if (produced.status === 'rejected') throw readFault(produced.reason as Error)
    if (pumped.status === 'rejected') throw pumped.reason
    outcome.statements.push({
      on,
      text: select,
      rows: produced.value,
      milliseconds: Math.round(performance.now() - start),
    })
    outcome.statements.push({
      on,
      text: copy,
      rows: sink.rowCount,
      milliseconds: Math.round(performance.now() - start),
    })
    if (produced.value !== sink.rowCount)
      stepFault(
        'lost-rows',
        `${produced.value} rows were read and ${sink.rowCount} arrived`,
        'rerun; tell us if it happens again',
      )
    return sink.rowCount
  } finally {
    work.signal.removeEventListener('abort', onAbort)
    await pipe.destroy()
  }
}

function readFault(error: Error): Error {
  const first = error.message.split('\n')[0] ?? error.message
  return new StepFault({
    code: 'read',
    message: `the file cannot be read: ${first}`,
    effect: 'nothing was written',
    advice: 'look at the file; is it the CSV it should be?',
  })
}

/** Writes the rejects, one for each line, and counts them by reason. */
async function keepRejects(
  duck: DuckDBConnection,
  work: Work,
  outcome: Outcome,
  header: readonly string[],
): Promise<number> {
  const [found] = (await duck.runAndReadAll('select count(*) from reject_errors')).getRows()
  if (Number(found![0]) === 0) return 0
  await duck.run(
    `create or replace temporary table mattock_rejects as
     select parse_filename(s.file_path) as file, e.line, arg_min(coalesce(e.column_name, ''), e.column_idx) as "column",
       arg_min(case e.error_type
         when 'CAST' then coalesce(regexp_replace(e.error_message, '^Error when converting column "[^"]*"\\. ', ''), '')
         when 'MISSING COLUMNS' then 'fewer fields than the ${header.length} of the header'
         when 'TOO MANY COLUMNS' then 'more fields than the ${header.length} of the header'
         when 'UNQUOTED VALUE' then 'a quote that is not closed as it should be'
         when 'LINE SIZE OVER MAXIMUM' then 'a line that is too long'
         when 'INVALID ENCODING' then 'bytes that are not UTF-8'
         else lower(e.error_type::varchar) end, e.column_idx) as reason,
       arg_min(e.error_type::varchar, e.column_idx) as kind,
       trim(any_value(e.csv_line), E'\\r\\n') as raw
     from reject_errors e join reject_scans s using (scan_id, file_id)
     group by all`,
  )
  const reasons = await duck.runAndReadAll(
    'select kind, "column", count(*) as n from mattock_rejects group by all order by n desc',
  )
  let rejected = 0
  for (const [kind, column, n] of reasons.getRows() as [string, string, bigint][]) {
    rejected += Number(n)
    const words = kind === 'CAST' ? `${column}: cannot be read as its type` : kind.toLowerCase()
    outcome.rejectReasons[words] = (outcome.rejectReasons[words] ?? 0) + Number(n)
  }
  if (rejected === 0) return 0
  await mkdir(work.rejectFolder, { recursive: true })
  const file = join(work.rejectFolder, `${work.load}-${work.step}.csv`)
  await duck.run(
    `copy (select file, line, "column", reason, raw from mattock_rejects order by file, line) to ${literal(file)} (format csv, header true)`,
  )
  outcome.rejectFile = `${work.run}/${work.load}-${work.step}.csv`
  return rejected
}

function checkRejects({ rejects }: Transfer, read: number, rejected: number, outcome: Outcome): void {
  if (rejected === 0 || rejects === 'keep') return
  const reasons = Object.entries(outcome.rejectReasons)
    .map(([reason, n]) => `${reason} (${n})`)
    .join('; ')
  const limit = rejects === 'fail' ? 0 : 'up_to' in rejects ? rejects.up_to : Math.floor(rejects.share * read)
  if (rejected <= limit) return
  stepFault(
    'rejects',
    `${rejected.toLocaleString('en')} of ${read.toLocaleString('en')} rows cannot be written, ${limit === 0 ? 'none is' : `${limit} are`} allowed: ${reasons}`,
    'look at the rejects, mend the source, or allow more with rejects',
  )
}

async function fileRecords(
  store: FileStore,
  found: readonly { path: string; size: number; modified: string }[],
  paths: readonly string[],
  prints: readonly { sha256: string; records: number; bytes: number }[],
): Promise<FileRecord[]> {
  return await Promise.all(
    found.map(async ({ path, size, modified }, i) => {
      const now = await stat(paths[i]!)
      if (now.size !== size || now.mtime.toISOString() !== modified || prints[i]!.bytes !== size) {
        stepFault('file-changed', `${path} changed while it was read`, 'rerun when it is complete')
      }
      return {
        store: store.name,
        path,
        size,
        modified,
        sha256: prints[i]!.sha256,
        records: prints[i]!.records,
      }
    }),
  )
}
