import type pg from 'pg'
import type { TableColumn } from '../../core/catalog/types'
import type { ToTable } from '../../core/job/steps/transfer'
import { quoteName } from '../../core/text/slot'
import { checkRows } from '../checks'
import { stagedRows } from './stagedRows'
import { qualified, tableColumns, type TargetTable } from '../connectors/postgres/tables'
import { recorded, stepFault, type StepContext } from '../context/step'
import { modes } from './modes'

/** A column that a source offers to a target. */
export interface Offered {
  readonly name: string
  readonly type: string
  readonly notNull?: boolean
  /** Its place in the key of the source, where it has one. */
  readonly inKey?: number
}

/** The key that the source has, in its order. */
const keyOffered = (offered: readonly Offered[]): string[] =>
  offered
    .filter(({ inKey = -1 }) => inKey >= 0)
    .sort((a, b) => a.inKey! - b.inKey!)
    .map(({ name }) => name)

/** The target's columns; made from `offered` where it is not there, widened where new columns are to be added. */
export async function prepareTarget(
  client: pg.ClientBase,
  table: TargetTable,
  spec: ToTable,
  offered: readonly Offered[],
  context: StepContext,
): Promise<TableColumn[]> {
  const on = spec.into.connection
  let columns = await tableColumns(client, table)
  const { key } = spec.into
  if (!columns) {
    // loads of one roster may all want to make the same schema or table
    await client.query('select pg_advisory_xact_lock(hashtext($1))', ['mattock.make'])
    columns = await tableColumns(client, table)
    if (!columns) {
      await recorded(client, context.outcome, on, `create schema if not exists ${quoteName(table.schema)}`)
      const lines = offered.map(
        ({ name, type, notNull }) => `${quoteName(name)} ${type}${notNull ? ' not null' : ''}`,
      )
      const own = key ?? keyOffered(offered)
      if (own.length > 0) lines.push(`primary key (${own.map(quoteName).join(', ')})`)
      await recorded(client, context.outcome, on, `create table ${qualified(table)} (${lines.join(', ')})`)
      columns = (await tableColumns(client, table)) ?? []
    }
  }
  const unknown = offered.filter(({ name }) => !columns!.some((column) => column.name === name))
  if (unknown.length > 0) {
    const names = unknown.map(({ name }) => name).join(', ')
    if (spec.into.unknown_columns === 'fail') {
      stepFault(
        'unknown-columns',
        `the source has columns that ${table.schema}.${table.name} lacks: ${names}`,
        'add them to the table, map them with columns:, or set unknown_columns: ignore or add',
      )
    }
    if (spec.into.unknown_columns === 'add') {
      for (const { name, type } of unknown) {
        await recorded(
          client,
          context.outcome,
          on,
          `alter table ${qualified(table)} add column if not exists ${quoteName(name)} ${type}`,
        )
      }
      columns = (await tableColumns(client, table)) ?? columns
    }
  }
  const missing = columns.filter(({ name }) => !offered.some((column) => column.name === name))
  if (spec.into.missing_columns === 'fail' && missing.length > 0)
    stepFault(
      'missing-columns',
      `${table.schema}.${table.name} has columns that the source lacks: ${missing.map(({ name }) => name).join(', ')}`,
      'map them with columns:, or set missing_columns: ignore',
    )
  return columns
}

/** May rows go straight into the target? Then its transaction is the staging place. */
export const goesStraight = (spec: ToTable): boolean => modes[spec.into.write].straight && !spec.check?.length

/** Makes the staging table of this transaction; gone at its end, whatever the end. */
export async function makeStage(
  client: pg.ClientBase,
  table: TargetTable,
  columns: readonly string[],
  numbered: boolean,
  context: StepContext,
  on: string,
): Promise<void> {
  const list = columns.map(quoteName).join(', ')
  await recorded(
    client,
    context.outcome,
    on,
    `create temporary table mattock_stage on commit drop as select ${list} from ${qualified(table)} with no data`,
  )
  if (numbered)
    await client.query(
      'alter table mattock_stage add column mattock_line bigint generated always as identity',
    )
}

/**
 * Checks what is staged and puts it into the target: counts of written, unchanged and merged rows.
 * `staged` is the number of rows that Postgres took into the stage.
 */
export async function applyStage(
  client: pg.ClientBase,
  table: TargetTable,
  columns: readonly string[],
  spec: ToTable,
  staged: number,
  context: StepContext,
): Promise<{ written: number; unchanged: number; merged: number }> {
  const mode = modes[spec.into.write]
  const stage = { client, table, columns, spec, rows: staged }
  const rows = mode.settle ? await mode.settle(stage, context) : staged
  await checkRows(spec.check ?? [], stagedRows(client, spec, context))
  return { ...(await mode.apply({ ...stage, rows }, context)), merged: staged - rows }
}
