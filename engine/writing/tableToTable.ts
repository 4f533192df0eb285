import { createWriteStream } from 'node:fs'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import { Transform } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type pg from 'pg'
import { from as copyFrom, to as copyTo } from 'pg-copy-streams'
import { tableCast } from '../../core/cast/tableCast'
import type { TableColumn } from '../../core/catalog/types'
import type { ToTable } from '../../core/job/steps/transfer'
import { rulesFor, shapedSql } from '../../core/shape/shape'
import { quoteName } from '../../core/text/slot'
import { primaryKey, qualified, tableColumns, type TargetTable } from '../connectors/postgres/tables'
import { recorded, stepFault, stopped, type StepContext } from '../context/step'
import { openDatabaseSource, type DatabaseSource } from '../reading/database'
import { filledColumns, sourceColumns, typeFor } from './columns'
import { writeMarker } from './markers'
import { checkRejects } from './rejects'
import { applyStage, goesStraight, makeStage, prepareTarget } from './stage'

export interface TableTransfer {
  readonly source: DatabaseSource
  readonly table: TargetTable
  readonly spec: ToTable
}

/**
 * Copies a table from one Postgres database to another: the source shapes and casts while it reads, COPY carries the
 * bytes through. Where both are one database nothing leaves it. Runs inside the transaction of `client`.
 */
export async function tableToTable(
  client: pg.PoolClient,
  sources: pg.Pool,
  transfer: TableTransfer,
  context: StepContext,
): Promise<void> {
  const { source, table, spec } = transfer
  const reader = await sources.connect()
  let broken: Error | undefined
  try {
    const {
      from: origin,
      columns: found,
      label,
    } = await openDatabaseSource(reader, source, spec.from.connection!, context.outcome)
    context.outcome.sourceColumns = found.map(({ name, type }) => ({ name, type }))
    const from = new Map(found.map((column) => [column.name, column]))
    const there = (await tableColumns(client, table))?.map(({ name }) => name) ?? []
    const sourceOf = sourceColumns([...from.keys()], spec, {
      meets: (plain, name) => there.includes(plain) && !there.includes(name),
    })
    // a table that is made from a whole key has it, too
    const key = source.kind === 'table' ? await primaryKey(reader, source.table) : []
    const whole = key.every((name) => [...sourceOf.values()].includes(name))
    const offered = [...sourceOf].map(([name, original]) => ({
      name,
      type: typeFor(name, spec, from.get(original)!.type),
      notNull: from.get(original)!.notNull,
      inKey: whole ? key.indexOf(original) : -1,
    }))
    const columns = filledColumns(
      await prepareTarget(client, table, spec, offered, context),
      sourceOf,
      spec,
      {
        source: label,
        table: `${table.schema}.${table.name}`,
        names: [...from.keys()],
      },
    )
    const names = columns.map(({ name }) => name)
    const cast = columns.map((column) => selected(column, from.get(sourceOf.get(column.name)!)!, spec))
    const select = cast.map(({ sql }) => sql).join(', ')
    const changed = cast.filter(({ changes }) => changes !== undefined)
    const wrong = changed.map(({ changes }) => `(${changes!})`).join(' or ')
    const fits = wrong ? ` where (${wrong}) is not true` : ''
    const counted = await recorded(
      reader,
      context.outcome,
      spec.from.connection!,
      `select count(*) as n from ${origin}`,
    )
    context.outcome.counts = { ...context.outcome.counts, read: Number(counted.rows[0].n) }
    const straight = goesStraight(spec)
    if (!straight)
      await makeStage(client, table, names, spec.into.repeats === 'keep-last', context, spec.into.connection)
    const into = straight ? qualified(table) : 'mattock_stage'
    const copied = await carry(
      reader,
      client,
      `copy (select ${select} from ${origin}${fits}) to stdout (format csv)`,
      `copy ${into} (${names.map(quoteName).join(', ')}) from stdin (format csv)`,
      spec,
      context,
    )
    const read = context.outcome.counts.read
    if (wrong && copied < read) {
      const rejected = await keepChanged(reader, origin, changed, wrong, context)
      context.outcome.counts = { ...context.outcome.counts, rejected }
      checkRejects(spec, read, rejected, context.outcome)
    }
    if (straight) context.outcome.counts = { ...context.outcome.counts, written: copied }
    else
      context.outcome.counts = {
        ...context.outcome.counts,
        ...(await applyStage(client, table, names, spec, copied, context)),
      }
    await writeMarker(client, context)
    // a source is only read: what a function in its query did there goes back
    await reader.query('rollback')
  } catch (error) {
    broken = error as Error
    throw error
  } finally {
    // a source connection in the middle of a COPY cannot be used again
    reader.release(broken)
  }
}

interface Selected {
  readonly name: string
  readonly sql: string
  /** Tells the rows whose value would not come through whole. */
  readonly changes: string | undefined
  readonly value: string
  readonly type: string
}

/** @throws StepFault `cast` where no value of the one type is one of the other as it stands */
function selected(column: TableColumn, source: TableColumn, spec: ToTable): Selected {
  const { name, type } = column
  const value = shapedSql(quoteName(source.name), rulesFor({ name, type: source.type }, spec.shape ?? []))
  const cast = tableCast(source.type, type)
  if (typeof cast === 'string')
    stepFault(
      'cast',
      `${source.name} (${source.type}) into ${name} (${type}): ${cast}`,
      'mend the job, or the table',
    )
  const changes = cast.changes && `(${value}) is not null and (${cast.changes(value)})`
  return { name: source.name, sql: cast.sql(value), changes, value, type }
}

/** Keeps the rows that would not come through whole, with all that is wrong with each; their number is that of the reading. */
async function keepChanged(
  reader: pg.PoolClient,
  origin: string,
  changed: readonly Selected[],
  wrong: string,
  context: StepContext,
): Promise<number> {
  const text = (words: string) => `'${words.replaceAll("'", "''")}'`
  const column = `case ${changed.map(({ changes, name }) => `when ${changes!} then ${text(name)}`).join(' ')} end`
  const reasons = changed.map(
    ({ changes, name, value, type }) =>
      `case when ${changes!} then ${text(`${name} "`)} || (${value})::text || ${text(`" does not fit ${type}`)} end`,
  )
  const { rows } = await reader.query<{ column: string; n: string }>(
    `select ${column} as column, count(*) as n from ${origin} where ${wrong} group by 1`,
  )
  let rejected = 0
  for (const { column: name, n } of rows) {
    context.outcome.rejectReasons[`${name}: cannot be read as its type`] = Number(n)
    rejected += Number(n)
  }
  await mkdir(context.rejectFolder, { recursive: true })
  const file = `${context.load}-${context.step}.csv`
  const kept = `select '' as file, mattock_n as line, ${column} as "column", concat_ws('; ', ${reasons.join(', ')}) as reason, (to_jsonb(mattock_row) - 'mattock_n')::text as raw
    from (select row_number() over () as mattock_n, * from ${origin}) as mattock_row where ${wrong}`
  await pipeline(
    reader.query(copyTo(`copy (${kept}) to stdout (format csv, header)`)),
    createWriteStream(join(context.rejectFolder, file)),
  )
  context.outcome.rejectFile = `${context.run}/${file}`
  return rejected
}

async function carry(
  reader: pg.PoolClient,
  client: pg.PoolClient,
  copyOut: string,
  copyIn: string,
  spec: ToTable,
  context: StepContext,
): Promise<number> {
  const start = performance.now()
  let bytes = 0
  const meter = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      bytes += chunk.length
      done(null, chunk)
    },
  })
  const sink = client.query(copyFrom(copyIn))
  try {
    await pipeline(reader.query(copyTo(copyOut)), meter, sink, { signal: context.signal })
  } catch (error) {
    if (context.signal.aborted) throw stopped()
    throw error
  }
  const milliseconds = Math.round(performance.now() - start)
  context.outcome.bytes = bytes
  context.outcome.statements.push({
    on: spec.from.connection!,
    text: copyOut,
    rows: sink.rowCount,
    milliseconds,
  })
  context.outcome.statements.push({
    on: spec.into.connection,
    text: copyIn,
    rows: sink.rowCount,
    milliseconds,
  })
  return sink.rowCount
}
