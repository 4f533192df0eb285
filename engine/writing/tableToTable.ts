import { Transform } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import type pg from 'pg'
import { from as copyFrom, to as copyTo } from 'pg-copy-streams'
import { quoteName } from '../../core/text/slot'
import type { ToTable } from '../../core/job/document'
import { valueTypeOf, type TableColumn } from '../../core/catalog/types'
import { rulesFor, shapedSql } from '../../core/shape/shape'
import { qualified, type TargetTable } from '../connectors/postgres/tables'
import { openDatabaseSource, type DatabaseSource } from '../reading/database'
import { applyStage, goesStraight, makeStage, prepareTarget, typeFor, writeMarker } from './target'
import { recorded, StepFault, stepFault, type Outcome, type Work } from '../context/work'

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
  work: Work,
  outcome: Outcome,
): Promise<void> {
  const { source, table, spec } = transfer
  const reader = await sources.connect()
  let broken: Error | undefined
  try {
    const {
      from: origin,
      columns: found,
      label,
    } = await openDatabaseSource(reader, source, spec.from.connection!, outcome)
    outcome.sourceColumns = found.map(({ name, type }) => ({ name, type }))
    const from = new Map(found.map((column) => [column.name, column]))
    const sourceOf = new Map(found.map(({ name }) => [name, name]))
    for (const [target, name] of Object.entries(spec.columns ?? {})) {
      if (!from.has(name))
        stepFault(
          'no-column',
          `${label} has no column "${name}", which columns: maps to ${target}`,
          'mend columns: in the job',
        )
      sourceOf.delete(name)
      sourceOf.set(target, name)
    }
    const offered = [...sourceOf].map(([name, original]) => ({
      name,
      type: typeFor(name, spec, from.get(original)!.type),
    }))
    const columns = (await prepareTarget(client, table, spec, offered, outcome)).filter(({ name }) =>
      sourceOf.has(name),
    )
    const names = columns.map(({ name }) => name)
    const select = columns
      .map((column) => selected(column, from.get(sourceOf.get(column.name)!)!, spec))
      .join(', ')
    const counted = await recorded(
      reader,
      outcome,
      spec.from.connection!,
      `select count(*) as n from ${origin}`,
    )
    outcome.counts = { ...outcome.counts, read: Number(counted.rows[0].n) }
    const straight = goesStraight(spec)
    if (!straight)
      await makeStage(client, table, names, spec.into.repeats === 'keep-last', outcome, spec.into.connection)
    const into = straight ? qualified(table) : 'mattock_stage'
    const copied = await carry(
      reader,
      client,
      `copy (select ${select} from ${origin}) to stdout (format csv)`,
      `copy ${into} (${names.map(quoteName).join(', ')}) from stdin (format csv)`,
      spec,
      work,
      outcome,
    )
    if (straight) outcome.counts = { ...outcome.counts, written: copied }
    else
      outcome.counts = {
        ...outcome.counts,
        ...(await applyStage(client, table, names, spec, copied, work, outcome)),
      }
    await writeMarker(client, work, outcome)
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

function selected(column: TableColumn, source: TableColumn, spec: ToTable): string {
  const type = valueTypeOf(source.type)
  const shaped = shapedSql(quoteName(source.name), rulesFor({ name: column.name, type }, spec.shape ?? []))
  return column.type === source.type ? shaped : `(${shaped})::${column.type}`
}

async function carry(
  reader: pg.PoolClient,
  client: pg.PoolClient,
  copyOut: string,
  copyIn: string,
  spec: ToTable,
  work: Work,
  outcome: Outcome,
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
    await pipeline(reader.query(copyTo(copyOut)), meter, sink, { signal: work.signal })
  } catch (error) {
    if (work.signal.aborted)
      throw new StepFault({
        code: 'stopped',
        message: 'stopped',
        effect: 'nothing was written',
        advice: 'rerun it',
      })
    throw error
  }
  const milliseconds = Math.round(performance.now() - start)
  outcome.bytes = bytes
  outcome.statements.push({ on: spec.from.connection!, text: copyOut, rows: sink.rowCount, milliseconds })
  outcome.statements.push({ on: spec.into.connection, text: copyIn, rows: sink.rowCount, milliseconds })
  return sink.rowCount
}
