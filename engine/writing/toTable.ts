import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import { judgeEvidence } from '../../core/catalog/evidence'
import { postgresTypeFor } from '../../core/catalog/types'
import { classSql, trimSql, valueClasses, type ValueClass } from '../../core/catalog/valueClass'
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
  source: OpenSource | EmptySource,
  target: TableTarget,
  context: StepContext,
): Promise<void> {
  const { spec, table } = target
  if (source.empty) {
    await noteCounts(source, context.outcome)
    return await finishWithRows(client, target, [], 0, context)
  }
  context.outcome.sourceColumns = source.columns.map(({ name, type, own }) =>
    source.ofText ? { name } : { name, type: own ?? type },
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
  const wanted = mapped.map(({ name, type }) => ({
    source: sourceOf.get(name)!,
    type,
    shaped: (operand: string) => shapedSql(operand, rulesFor({ name, type }, spec.shape ?? [])),
  }))
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
    type: typeFor(name, spec, seen.get(from) ?? postgresFromDuck(native.get(from) ?? 'VARCHAR', source)),
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
