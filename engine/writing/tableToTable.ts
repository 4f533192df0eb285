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
import { emptyOutcome, recorded, stepFault, stopped, type StepContext } from '../context/step'
import { openDatabaseSource, type DatabaseSource } from '../reading/database'
import { filledColumns, sourceColumns, typeFor } from './columns'
import { writeMarker } from './markers'
import { isOfData, refusedReasons, refusedSql, stageRowByRow } from './misfits'
import { checkRejects } from './rejects'
import { applyStage, goesStraight, makeStage, prepareTarget } from './stage'

export interface TableTransfer {
  readonly source: DatabaseSource
  readonly table: TargetTable
  readonly spec: ToTable
}

/**
 * Copies a table from one Postgres database to another: the source shapes and casts while it reads, COPY carries the
 * bytes through. Where rows may be left out, one that the table refuses is left out, too: then each is looked at by
 * itself. Runs inside the transaction of `client`; `atEnd` is done in it, once all rows are written.
 */
export async function tableToTable(
  client: pg.PoolClient,
  sources: pg.Pool,
  transfer: TableTransfer,
  context: StepContext,
  atEnd?: () => Promise<void>,
): Promise<void> {
  const { outcome } = context
  const attempt = (rowByRow: boolean) =>
    withReader(sources, (reader) => copyTable(client, reader, transfer, context, rowByRow, atEnd))
  if (transfer.spec.rejects === 'fail') return await attempt(false)
  await client.query('savepoint mattock_short')
  try {
    return await attempt(false)
  } catch (error) {
    if (!isOfData(error)) throw error
    await client.query('rollback to savepoint mattock_short')
    outcome.log.push(`looking for the rows that the table refuses: ${(error as Error).message}`)
  }
  outcome.rejectReasons = {}
  outcome.counts = emptyOutcome().counts
  await attempt(true)
}

/** A connection to read a source by, in a transaction that `work` begins and that goes back at its end. */
async function withReader(sources: pg.Pool, work: (reader: pg.PoolClient) => Promise<void>): Promise<void> {
  const reader = await sources.connect()
  let broken: Error | undefined
  try {
    await work(reader)
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

async function copyTable(
  client: pg.PoolClient,
  reader: pg.PoolClient,
  { source, table, spec }: TableTransfer,
  context: StepContext,
  rowByRow: boolean,
  atEnd: (() => Promise<void>) | undefined,
): Promise<void> {
  const {
    from: origin,
    columns: found,
    label,
  } = await openDatabaseSource(reader, source, spec.from.connection!, context)
  // what says no offset is a time of the job's zone, whatever the databases are set to
  const inZone = (by: pg.ClientBase) => by.query(`select set_config('timezone', $1, true)`, [context.zone])
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
  const columns = filledColumns(await prepareTarget(client, table, spec, offered, context), sourceOf, spec, {
    source: label,
    table: `${table.schema}.${table.name}`,
    names: [...from.keys()],
  })
  const names = columns.map(({ name }) => name)
  const cast = columns.map((column) => selected(column, from.get(sourceOf.get(column.name)!)!, spec))
  const select = cast.map(({ sql, alone }) => (rowByRow ? alone : sql)).join(', ')
  const changed = cast.filter(({ changes }) => changes !== undefined)
  const wrong = changed.map(({ changes }) => `(${changes!})`).join(' or ')
  const fits = wrong ? ` where (${wrong}) is not true` : ''
  const counted = await recorded(
    reader,
    context.outcome,
    spec.from.connection!,
    `select count(*) as n from ${origin}`,
  )
  const read = Number(counted.rows[0].n)
  context.outcome.counts = { ...context.outcome.counts, read }
  const straight = goesStraight(spec) && !rowByRow
  const into = straight ? qualified(table) : 'mattock_stage'
  let copied: number
  let rejected: number
  if (rowByRow) {
    // two readings number the rows alike: none joins another's scan in its middle
    await reader.query('set local synchronize_seqscans to off')
    const out = `copy (select mattock_n, ${select} from ${numbered(origin)}${fits}) to stdout (format csv)`
    await inZone(client)
    copied = await stageRowByRow(
      { client, table, columns, spec },
      (copyIn) => carry(reader, client, out, copyIn, spec, context),
      context,
    )
    rejected = read - copied
  } else {
    if (!straight)
      await makeStage(client, table, names, spec.into.repeats === 'keep-last', context, spec.into.connection)
    copied = await carry(
      reader,
      client,
      `copy (select ${select} from ${origin}${fits}) to stdout (format csv)`,
      `copy ${into} (${names.map(quoteName).join(', ')}) from stdin (format csv)`,
      spec,
      context,
    )
    rejected = wrong ? read - copied : 0
  }
  if (rejected > 0) {
    context.outcome.readAs = { columns: found.map(({ name }) => name) }
    const kept = await keepRows(context, [
      ...(wrong ? [await changedRows(reader, origin, changed, wrong)] : []),
      ...(rowByRow ? [await refusedRows(client, names)] : []),
    ])
    context.outcome.counts = { ...context.outcome.counts, rejected: kept }
    checkRejects(spec, read, kept, context.outcome)
  }
  if (straight) context.outcome.counts = { ...context.outcome.counts, written: copied }
  else
    context.outcome.counts = {
      ...context.outcome.counts,
      ...(await applyStage(client, table, names, spec, copied, context)),
    }
  await atEnd?.()
  await writeMarker(client, context)
}

const numbered = (origin: string): string =>
  `(select row_number() over () as mattock_n, * from ${origin}) as mattock_row`

interface Selected {
  readonly name: string
  readonly sql: string
  /** What Postgres may refuse one by one, when each row is looked at by itself. */
  readonly alone: string
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
  return {
    name: source.name,
    sql: cast.sql(value),
    alone: cast.refuses ? `(${value})::text` : cast.sql(value),
    changes,
    value,
    type,
  }
}

/** Rows that are left out: how many by reason, and the COPY that says which. */
interface LeftOut {
  readonly reasons: ReadonlyMap<string, number>
  readonly by: pg.ClientBase
  readonly select: string
}

/** The rows that would not come through whole, with all that is wrong with each. */
async function changedRows(
  reader: pg.PoolClient,
  origin: string,
  changed: readonly Selected[],
  wrong: string,
): Promise<LeftOut> {
  const text = (words: string) => `'${words.replaceAll("'", "''")}'`
  const column = `case ${changed.map(({ changes, name }) => `when ${changes!} then ${text(name)}`).join(' ')} end`
  const reasons = changed.map(
    ({ changes, name, value, type }) =>
      `case when ${changes!} then ${text(`${name} "`)} || (${value})::text || ${text(`" does not fit ${type}`)} end`,
  )
  const { rows } = await reader.query<{ column: string; n: string }>(
    `select ${column} as column, count(*) as n from ${origin} where ${wrong} group by 1`,
  )
  return {
    reasons: new Map(rows.map(({ column: name, n }) => [`${name}: cannot be read as its type`, Number(n)])),
    by: reader,
    select: `select '' as file, mattock_n as line, ${column} as "column", concat_ws('; ', ${reasons.join(', ')}) as reason, (to_jsonb(mattock_row) - 'mattock_n')::text as raw
      from ${numbered(origin)} where ${wrong}`,
  }
}

/** The rows that the table refuses. */
const refusedRows = async (client: pg.ClientBase, names: readonly string[]): Promise<LeftOut> => ({
  reasons: await refusedReasons(client),
  by: client,
  select: refusedSql(names),
})

/** Keeps rows that are left out, and counts them by reason. @returns how many there are */
async function keepRows(context: StepContext, leftOut: readonly LeftOut[]): Promise<number> {
  await mkdir(context.rejectFolder, { recursive: true })
  const file = `${context.load}-${context.step}.csv`
  let all = 0
  for (const [i, { reasons, by, select }] of leftOut.entries()) {
    for (const [reason, n] of reasons) {
      context.outcome.rejectReasons[reason] = n
      all += n
    }
    const header = i === 0 ? ', header' : ''
    await pipeline(
      by.query(copyTo(`copy (${select}) to stdout (format csv${header})`)),
      createWriteStream(join(context.rejectFolder, file), { flags: i === 0 ? 'w' : 'a' }),
    )
  }
  context.outcome.rejectFile = `${context.run}/${file}`
  return all
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
