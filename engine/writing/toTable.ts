import { pipeline } from 'node:stream/promises'
import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import { from as copyFrom } from 'pg-copy-streams'
import { judgeEvidence } from '../../core/catalog/evidence'
import { postgresTypeFor } from '../../core/catalog/types'
import { classSql, trimSql, valueClasses, type ValueClass } from '../../core/catalog/valueClass'
import type { ToTable, Transfer } from '../../core/job/steps/transfer'
import { rulesFor, shapedSql } from '../../core/shape/shape'
import { quoteName } from '../../core/text/slot'
import { checkFiles } from '../checks'
import { qualified, tableColumns, type TargetTable } from '../connectors/postgres/tables'
import { StepFault, nothingWritten, stepFault, stopped, type StepContext } from '../context/step'
import { literal, makePipe } from '../duck/duck'
import { castColumns } from '../reading/cast'
import { brokenLines, keepRejects } from '../reading/rejects'
import type { EmptySource, OpenSource } from '../reading/source'
import { filledColumns, sourceColumns, typeFor } from './columns'
import { writeMarker } from './markers'
import { checkRejects, noteCounts } from './rejects'
import { applyStage, goesStraight, makeStage, prepareTarget } from './stage'

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
  source: OpenSource | EmptySource,
  target: TableTarget,
  context: StepContext,
): Promise<void> {
  const { spec, table } = target
  if (source.empty) {
    await noteCounts(source, context.outcome)
    return await finishWithRows(client, target, [], 0, context)
  }
  context.outcome.sourceColumns = source.columns.map(({ name, type }) =>
    source.ofText ? { name } : { name, type },
  )
  // which of several rows is the last is only known in the order of the file
  const numbered = spec.into.repeats === 'keep-last'
  const sourceOf = sourceColumns(
    source.columns.map(({ name }) => name),
    spec,
  )
  // the types of a table that is there are its own, unless it is to be widened
  const exists = spec.into.unknown_columns !== 'add' && (await tableColumns(client, table)) !== undefined
  const offered = await offeredColumns(duck, source, sourceOf, spec, exists)
  const columns = await prepareTarget(client, table, spec, offered, context)
  const mapped = filledColumns(columns, sourceOf, spec, {
    source: source.label,
    table: `${table.schema}.${table.name}`,
    names: source.columns.map(({ name }) => name),
  })
  const names = mapped.map(({ name }) => name)
  const straight = goesStraight(spec)
  if (!straight) await makeStage(client, table, names, numbered, context, spec.into.connection)
  const into = straight ? qualified(table) : 'mattock_stage'
  const wanted = mapped.map(({ name, type }) => ({
    source: sourceOf.get(name)!,
    type,
    shaped: (operand: string) => shapedSql(operand, rulesFor({ name, type }, spec.shape ?? [])),
  }))
  const cast = castColumns(source, wanted, { zone: context.zone, into: 'text' })
  const copied = await pump(
    client,
    duck,
    `select ${cast.operands.join(', ')} from ${cast.from}`,
    `copy ${into} (${names.map(quoteName).join(', ')}) from stdin (format csv)`,
    spec.into.connection,
    context,
  )
  const { rows } = await noteCounts(source, context.outcome)
  const broken = await brokenLines(duck, source)
  const missing = rows - copied - broken
  const rejected = broken + (await keepRejects(duck, source, cast, { broken, missing }, context))
  context.outcome.counts = { ...context.outcome.counts, read: rows, rejected }
  checkRejects(spec, rows, rejected, context.outcome)
  if (straight) {
    context.outcome.counts = { ...context.outcome.counts, written: copied }
    await writeMarker(client, context)
  } else await finishWithRows(client, target, names, copied, context)
}

/** Applies what is staged and leaves the marker; the caller commits. */
async function finishWithRows(
  client: pg.PoolClient,
  { table, spec }: TableTarget,
  names: readonly string[],
  staged: number,
  context: StepContext,
): Promise<void> {
  if (names.length === 0) {
    // without a column there is nothing else to look at
    for (const check of spec.check ?? []) if (check.rows) checkFiles(check, 0)
  } else {
    const applied = await applyStage(client, table, names, spec, staged, context)
    context.outcome.counts = { ...context.outcome.counts, ...applied }
  }
  await writeMarker(client, context)
}

/** What the source offers to a table that is not there yet: types from the job, else its own, else from a look at it. */
async function offeredColumns(
  duck: DuckDBConnection,
  source: OpenSource,
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
  source: OpenSource,
  names: readonly string[],
): Promise<Map<string, string>> {
  const inner = names.map((name, i) => `${trimSql(quoteName(name))} as v${i}`).join(', ')
  const outer = names.map((_, i) => `histogram(${classSql(`v${i}`)})`).join(', ')
  const reader = await duck.runAndReadAll(
    `select ${outer} from (select ${inner} from ${source.sql()} limit ${lookedAt})`,
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
  context: StepContext,
): Promise<number> {
  const pipe = await makePipe()
  const start = performance.now()
  const onAbort = () => duck.interrupt()
  context.signal.addEventListener('abort', onAbort)
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
    if (context.signal.aborted) throw stopped()
    const databaseError =
      pumped.status === 'rejected' &&
      (pumped.reason as { code?: string }).code !== undefined &&
      /^[0-9A-Z]{5}$/.test(String((pumped.reason as { code?: string }).code))
    if (pumped.status === 'rejected' && databaseError) throw pumped.reason
    if (produced.status === 'rejected') throw readFault(produced.reason as Error)
    if (pumped.status === 'rejected') throw pumped.reason
    context.outcome.statements.push({
      on,
      text: select,
      rows: produced.value,
      milliseconds: Math.round(performance.now() - start),
    })
    context.outcome.statements.push({
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
    context.signal.removeEventListener('abort', onAbort)
    await pipe.destroy()
  }
}

function readFault(error: Error): Error {
  const first = error.message.split('\n')[0] ?? error.message
  return new StepFault({
    code: 'read',
    message: `the file cannot be read: ${first}`,
    effect: nothingWritten,
    advice: 'look at the file; is it the CSV it should be?',
  })
}
