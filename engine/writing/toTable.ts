import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { pipeline } from 'node:stream/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import { from as copyFrom } from 'pg-copy-streams'
import { quoteName } from '../../core/text/slot'
import type { ToTable, Transfer } from '../../core/job/document'
import { judgeEvidence } from '../../core/catalog/evidence'
import { duckTypeFor, postgresTypeFor, valueTypeOf } from '../../core/catalog/types'
import { classSql, trimSql, valueClasses, type ValueClass } from '../../core/catalog/valueClass'
import { rulesFor, shapedSql } from '../../core/shape/shape'
import { qualified, tableColumns, type TargetTable } from '../connectors/postgres/tables'
import { castColumns, keepMiscast } from '../reading/cast'
import { literal, makePipe } from '../duck/duck'
import type { EmptySource, Source } from '../reading/files'
import { applyStage, goesStraight, makeStage, prepareTarget, typeFor, writeMarker } from './target'
import { StepFault, stepFault, type Outcome, type Work } from '../context/work'

export interface TableTarget {
  readonly table: TargetTable
  readonly spec: ToTable
}

/**
 * Loads what a source gives into a Postgres table: DuckDB reads, checks and casts, a pipe carries CSV to COPY, one
 * transaction applies it and leaves the marker. Rows never become JavaScript values. Runs inside the transaction of
 * `client`.
 */
export async function toTable(
  client: pg.PoolClient,
  duck: DuckDBConnection,
  source: Source | EmptySource,
  target: TableTarget,
  work: Work,
  outcome: Outcome,
): Promise<void> {
  const { spec, table } = target
  if (source.empty) {
    await noteCounts(source, outcome)
    return await finishWithRows(client, target, [], 0, work, outcome)
  }
  outcome.sourceColumns = source.columns.map(({ name, type }) => (source.ofText ? { name } : { name, type }))
  // which of several rows is the last is only known in the order of the file
  const numbered = spec.into.repeats === 'keep-last'
  const sourceOf = sourceColumns(
    source.columns.map(({ name }) => name),
    spec,
  )
  // the types of a table that is there are its own, unless it is to be widened
  const exists = spec.into.unknown_columns !== 'add' && (await tableColumns(client, table)) !== undefined
  const offered = await offeredColumns(duck, source, sourceOf, spec, exists)
  const columns = await prepareTarget(client, table, spec, offered, outcome)
  const mapped = columns.filter(({ name }) => sourceOf.has(name))
  if (mapped.length === 0)
    stepFault(
      'no-columns',
      `no column of ${source.label} is one of ${table.schema}.${table.name}: it has ${source.columns.map(({ name }) => name).join(', ')}`,
      'map them with columns:',
    )
  for (const name of spec.into.key ?? []) {
    if (!mapped.some((column) => column.name === name))
      stepFault('no-key', `${source.label} has no column for the key "${name}"`, 'map it with columns:')
  }
  const names = mapped.map(({ name }) => name)
  const straight = goesStraight(spec)
  if (!straight) await makeStage(client, table, names, numbered, outcome, spec.into.connection)
  const into = straight ? qualified(table) : 'mattock_stage'
  const wanted = mapped.map(({ name, type }) => ({ source: sourceOf.get(name)!, type: duckTypeFor(type) }))
  const cast = castColumns(source, wanted)
  const select = mapped.map(({ name, type }, i) => {
    const operand = cast.operands[i]!
    if (type === 'timestamp with time zone') return instantText(operand)
    return shapedSql(operand, rulesFor({ name, type: valueTypeOf(type) }, spec.shape ?? []))
  })
  const rejectedBefore = await keepMiscast(duck, source, cast, work, outcome)
  const copied = await pump(
    client,
    duck,
    `select ${select.join(', ')} from ${cast.from}`,
    `copy ${into} (${names.map(quoteName).join(', ')}) from stdin (format csv)`,
    spec.into.connection,
    work,
    outcome,
  )
  const rejected = rejectedBefore + (source.ofText ? await keepBrokenLines(duck, source, work, outcome) : 0)
  const { rows } = await noteCounts(source, outcome)
  outcome.counts = { ...outcome.counts, read: rows, rejected }
  checkRejects(spec, rows, rejected, outcome)
  if (straight) {
    outcome.counts = { ...outcome.counts, written: copied }
    await writeMarker(client, work, outcome)
  } else await finishWithRows(client, target, names, copied, work, outcome)
}

export async function noteCounts(source: Source | EmptySource, outcome: Outcome) {
  const counted = await source.counted
  outcome.files.push(...counted.files)
  outcome.bytes = counted.bytes
  return counted
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
  { table, spec }: TableTarget,
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

/** Target column → source column, by the job's map, else by name: as written, then in lower case without blanks around. */
export function sourceColumns(header: readonly string[], spec: Transfer): Map<string, string> {
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

/** What the source offers to a table that is not there yet: types from the job, else its own, else from a look at it. */
async function offeredColumns(
  duck: DuckDBConnection,
  source: Source,
  sourceOf: ReadonlyMap<string, string>,
  spec: Transfer,
  exists: boolean,
) {
  const native = new Map(source.columns.map(({ name, type }) => [name, type]))
  const open = [...sourceOf]
    .filter(([name, from]) => !spec.types?.[name] && native.get(from) === 'VARCHAR')
    .map(([, from]) => from)
  const looks = open.length > 0 && !source.once && !exists
  const seen = looks ? await lookAt(duck, source, open) : new Map<string, string>()
  return [...sourceOf].map(([name, from]) => ({
    name,
    type: typeFor(name, spec, seen.get(from) ?? postgresFromDuck(native.get(from) ?? 'VARCHAR')),
  }))
}

/** Rows of text that are looked at to find the types of a table that is not there yet. */
const lookedAt = 20_000

async function lookAt(
  duck: DuckDBConnection,
  source: Source,
  names: readonly string[],
): Promise<Map<string, string>> {
  const inner = names.map((name, i) => `${trimSql(quoteName(name))} as v${i}`).join(', ')
  const outer = names.map((_, i) => `histogram(${classSql(`v${i}`)})`).join(', ')
  const reader = await duck.runAndReadAll(
    `select ${outer} from (select ${inner} from ${source.sql({})} limit ${lookedAt})`,
  )
  const [row] = reader.getRows()
  return new Map(
    names.map((name, i) => {
      const counts: Partial<Record<ValueClass, number>> = {}
      const entries =
        (row?.[i] as unknown as { entries: { key: number; value: bigint }[] } | null)?.entries ?? []
      for (const { key, value } of entries) counts[valueClasses[key]!] = Number(value)
      const { type, reading } = judgeEvidence({ counts, firsts: {}, longest: 0 })
      // what is written another way than the reader is told stays text, for a person to decide
      return [name, reading ? 'text' : postgresTypeFor(type)]
    }),
  )
}

/** The Postgres type that holds what a DuckDB type does. */
function postgresFromDuck(type: string): string {
  const like: Record<string, string> = {
    BIGINT: 'bigint', INTEGER: 'integer', SMALLINT: 'smallint', TINYINT: 'smallint', UBIGINT: 'numeric(20,0)', UINTEGER: 'bigint', HUGEINT: 'numeric(38,0)',
    DOUBLE: 'double precision', FLOAT: 'real', BOOLEAN: 'boolean', DATE: 'date', TIME: 'time', TIMESTAMP: 'timestamp', UUID: 'uuid',
    'TIMESTAMP WITH TIME ZONE': 'timestamp with time zone',
  } // prettier-ignore
  const decimal = /^DECIMAL\((\d+),\s*(\d+)\)$/.exec(type)
  return decimal ? `numeric(${decimal[1]},${decimal[2]})` : (like[type] ?? 'text')
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

/** Writes the lines that could not be read as they should, and counts them by reason. */
export async function keepBrokenLines(
  duck: DuckDBConnection,
  source: Source,
  work: Work,
  outcome: Outcome,
): Promise<number> {
  const [found] = (await duck.runAndReadAll('select count(*) from reject_errors')).getRows()
  if (Number(found![0]) === 0) return 0
  await duck.run(
    `create or replace temporary table mattock_rejects as
     select parse_filename(s.file_path) as file, e.line, arg_min(coalesce(e.column_name, ''), e.column_idx) as "column",
       arg_min(case e.error_type
         when 'CAST' then coalesce(regexp_replace(e.error_message, '^Error when converting column "[^"]*"\\. ', ''), '')
         when 'MISSING COLUMNS' then 'fewer fields than the ${source.columns.length} of the header'
         when 'TOO MANY COLUMNS' then 'more fields than the ${source.columns.length} of the header'
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

export function checkRejects({ rejects }: Transfer, read: number, rejected: number, outcome: Outcome): void {
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
