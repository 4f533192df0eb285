import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import type { Verdict } from '../../core/catalog/evidence'
import { postgresTypeFor } from '../../core/catalog/types'
import type { ToTable, Transfer } from '../../core/job/steps/transfer'
import { rulesFor, shapedSql } from '../../core/shape/shape'
import { quoteName } from '../../core/text/slot'
import { checkFiles } from '../checks'
import { qualified, tableColumns, type TargetTable } from '../connectors/postgres/tables'
import { emptyOutcome, type StepContext } from '../context/step'
import { withDuck } from '../duck/duck'
import { castColumns } from '../reading/cast'
import { brokenLines, keepRejects, type MoreWrong } from '../reading/rejects'
import type { EmptySource, OpenSource } from '../reading/source'
import { askedText, changesBy, judgeColumns, typesByReading, workOut } from '../reading/writings'
import { filledColumns, sourceColumns, typeFor } from './columns'
import { writeMarker } from './markers'
import { checkRejects, noteCounts } from './rejects'
import { isOfData, refusedRows, stageWhatFits } from './misfits'
import { pump } from './pump'
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
  given: OpenSource | EmptySource,
  target: TableTarget,
  context: StepContext,
): Promise<void> {
  const { spec, table } = target
  if (given.empty) {
    await noteCounts(given, context.outcome)
    return await finishWithRows(client, target, [], 0, context)
  }
  context.outcome.sourceColumns = given.columns.map(({ name, type, own }) =>
    given.ofText ? { name } : { name, type: own ?? type },
  )
  // which of several rows is the last is only known in the order of the file
  const numbered = spec.into.repeats === 'keep-last'
  const sourceOf = sourceColumns(
    given.columns.map(({ name }) => name),
    spec,
    { renames: given.renames },
  )
  // the types of a table that is there are its own, unless it is to be widened
  const exists = spec.into.unknown_columns !== 'add' && (await tableColumns(client, table)) !== undefined
  const { offered, readings: found, said: asked } = await offeredColumns(duck, given, sourceOf, spec, exists)
  const columns = await prepareTarget(client, table, spec, offered, context)
  const mapped = filledColumns(columns, sourceOf, spec, {
    source: given.label,
    table: `${table.schema}.${table.name}`,
    names: given.columns.map(({ name }) => name),
  })
  const names = mapped.map(({ name }) => name)
  const wanted = mapped.map(({ name, type }) => ({
    source: sourceOf.get(name)!,
    type,
    shaped: (operand: string) => shapedSql(operand, rulesFor({ name, type }, spec.shape ?? [])),
  }))
  const { readings, said } = await workOut(duck, { ...given, readings: found }, wanted)
  context.outcome.log.push(...asked, ...said)
  const source: OpenSource = { ...given, readings }
  const cast = castColumns(source, wanted, { zone: context.zone, into: 'text' })
  const select = `select ${cast.operands.join(', ')} from ${cast.from}`
  /** Counts what was left out, and holds it to what the job allows. */
  const settleRejects = async (read: DuckDBConnection, copied: number, more?: MoreWrong) => {
    const { rows } = await noteCounts(source, context.outcome)
    const broken = await brokenLines(read, source)
    const missing = rows - copied - broken
    const rejected = broken + (await keepRejects(read, source, cast, { broken, missing, more }, context))
    context.outcome.counts = { ...context.outcome.counts, read: rows, rejected }
    checkRejects(spec, rows, rejected, context.outcome)
    context.outcome.log.push(...(await changesBy(read, source, wanted, context.zone)))
  }
  const short = async () => {
    const straight = goesStraight(spec)
    if (!straight) await makeStage(client, table, names, numbered, context, spec.into.connection)
    const into = straight ? qualified(table) : 'mattock_stage'
    const copy = `copy ${into} (${names.map(quoteName).join(', ')}) from stdin (format csv)`
    const copied = await pump(client, duck, select, copy, spec.into.connection, context)
    await settleRejects(duck, copied)
    if (straight) {
      context.outcome.counts = { ...context.outcome.counts, written: copied }
      await writeMarker(client, context)
    } else await finishWithRows(client, target, names, copied, context)
  }
  // where rows may be left out, one that the table refuses is left out, too: then each is looked at by itself
  if (spec.rejects === 'fail') return await short()
  await client.query('savepoint mattock_short')
  try {
    return await short()
  } catch (error) {
    if (!isOfData(error)) throw error
    await client.query('rollback to savepoint mattock_short')
    context.outcome.log.push(`looking for the rows that the table refuses: ${(error as Error).message}`)
  }
  // what was noted of the first reading is noted again
  context.outcome.files.length = 0
  context.outcome.rejectReasons = {}
  context.outcome.counts = emptyOutcome().counts
  await withDuck(context.zone, true, async (ordered) => {
    const place = { client, table, columns: mapped, spec }
    const staged = await stageWhatFits(place, ordered, cast, context)
    await settleRejects(ordered, staged, refusedRows(client))
    await finishWithRows(client, target, names, staged, context)
  })
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
    checkFiles(
      (spec.check ?? []).filter(({ rows }) => rows),
      0,
      context.outcome,
    )
  } else {
    const applied = await applyStage(client, table, names, spec, staged, context)
    context.outcome.counts = { ...context.outcome.counts, ...applied }
  }
  await writeMarker(client, context)
}

/**
 * What the source offers to a table that is not there yet: types from the job, else what is known of the column, else
 * its own, else from a look at it; with the readings that these types need.
 */
async function offeredColumns(
  duck: DuckDBConnection,
  source: OpenSource,
  sourceOf: ReadonlyMap<string, string>,
  spec: Transfer,
  exists: boolean,
) {
  const native = new Map(source.columns.map(({ name, type }) => [name, type]))
  const open = [...sourceOf]
    .filter(
      ([name, from]) => !spec.types?.[name] && !source.types?.has(from) && native.get(from) === 'VARCHAR',
    )
    .map(([, from]) => from)
  const looks = open.length > 0 && !source.once && !exists
  const seen = looks ? await judgeColumns(duck, source, open) : new Map<string, Verdict>()
  const readings = new Map(source.readings)
  // what needs a reading, or may have one by what the job says
  const unsure = [...seen].filter(([, verdict]) =>
    (verdict.reading ?? verdict.type !== 'text') ? needsReading(source, verdict) : true,
  )
  const byJob = await typesByReading(
    duck,
    source,
    unsure.map(([name]) => name),
  )
  const said: string[] = []
  const offered = [...sourceOf].map(([name, from]) => {
    const verdict = seen.get(from)
    const told = byJob.get(from)
    if (verdict?.asked?.length && source.detects && !told) said.push(askedText(from, verdict.asked))
    // what was judged here is not looked at again
    if (verdict && source.detects && !told) readings.set(from, verdict.reading ?? {})
    // what is written another way than the reader is told stays text, for a person to decide
    const judged = verdict && (verdict.reading && !source.detects ? 'text' : verdict.type)
    const known = source.types?.get(from)
    const plain = told ?? judged
    const found = known ?? (plain && postgresTypeFor(plain))
    return {
      name,
      type: typeFor(name, spec, found ?? postgresFromDuck(native.get(from) ?? 'VARCHAR', source)),
    }
  })
  return { offered, readings, said }
}

/** Values that look like whole numbers may be days by a pattern of the job's, such as yyyyMMdd. */
const needsReading = ({ reading = {} }: OpenSource, verdict: Verdict): boolean =>
  verdict.reading !== undefined || (reading.dates !== undefined && verdict.type === 'integer')

/** The Postgres type that holds what a DuckDB type does. */
function postgresFromDuck(type: string, { decimalNumbers = false }: OpenSource): string {
  if (decimalNumbers && type === 'DOUBLE') return 'numeric'
  const like: Record<string, string> = {
    BIGINT: 'bigint', INTEGER: 'integer', SMALLINT: 'smallint', TINYINT: 'smallint', UBIGINT: 'numeric(20,0)', UINTEGER: 'bigint', HUGEINT: 'numeric(38,0)',
    DOUBLE: 'double precision', FLOAT: 'real', BOOLEAN: 'boolean', DATE: 'date', TIME: 'time', TIMESTAMP: 'timestamp', UUID: 'uuid',
    'TIMESTAMP WITH TIME ZONE': 'timestamp with time zone',
  } // prettier-ignore
  if (type === 'NUMERIC') return 'numeric'
  const decimal = /^DECIMAL\((\d+),\s*(\d+)\)$/.exec(type)
  return decimal ? `numeric(${decimal[1]},${decimal[2]})` : (like[type] ?? 'text')
}
