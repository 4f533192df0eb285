import type pg from 'pg'
import { quoteName } from '../../core/text/slot'
import type { ToTable, Transfer } from '../../core/job/document'
import { postgresTypeFor, type TableColumn } from '../../core/catalog/types'
import type { ValueType } from '../../core/value'
import { qualified, tableColumns, uniqueKeys, type TargetTable } from '../connectors/postgres/tables'
import { checkTable } from '../steps/check'
import { transaction } from '../context/transaction'
import { literal } from '../duck/duck'
import { nothingWritten, recorded, StepFault, stepFault, type Outcome, type Work } from '../context/work'

const ensured = new WeakMap<pg.Pool, Promise<void>>()

/** The table of markers that Mattock keeps in a target: a load that is in it has taken effect. */
export function ensureMarkers(pool: pg.Pool): Promise<void> {
  let done = ensured.get(pool)
  if (!done) {
    done = makeMarkers(pool)
    ensured.set(pool, done)
    done.catch(() => ensured.delete(pool))
  }
  return done
}

async function makeMarkers(pool: pg.Pool): Promise<void> {
  const { rows } = await pool.query<{ there: boolean }>(
    `select to_regclass('mattock.load_marker') is not null as there`,
  )
  if (rows[0]!.there) return
  await transaction(pool, async (client) => {
    await client.query(`select pg_advisory_xact_lock(hashtext('mattock.load_marker'))`)
    await client.query('create schema if not exists mattock')
    await client.query(`create table if not exists mattock.load_marker (
      installation text not null, load bigint not null, step text not null, run integer not null,
      at timestamptz not null default clock_timestamp(), outcome jsonb not null, primary key (installation, load, step))`)
  })
}

/** What an earlier attempt of this load recorded when it took effect, if one did. */
export async function readMarker(client: pg.ClientBase, work: Work): Promise<Outcome | undefined> {
  const { rows } = await client.query<{ outcome: Outcome }>({
    name: 'mattock-read-marker',
    text: 'select outcome from mattock.load_marker where installation = $1 and load = $2 and step = $3',
    values: [work.installation, work.load, work.step],
  })
  return rows[0]?.outcome
}

/** Writes the marker in the load's own transaction. A second attempt at the same time fails on its primary key. */
export async function writeMarker(client: pg.ClientBase, work: Work, outcome: Outcome): Promise<void> {
  if (work.aside) return
  await client.query({
    name: 'mattock-write-marker',
    text: 'insert into mattock.load_marker (installation, load, step, run, outcome) values ($1, $2, $3, $4, $5)',
    values: [work.installation, work.load, work.step, work.run, JSON.stringify(outcome)],
  })
}

/** A database that a step writes to. */
export interface TargetDatabase {
  readonly pool: pg.Pool
  readonly connection: string
}

/**
 * One transaction for a step: where its marker is there already, the step took effect before and is not done again. A
 * try leaves no marker, and is made sure of to have changed nothing outside its scratch schema.
 */
export async function inTransaction(
  { pool, connection }: TargetDatabase,
  work: Work,
  zone: string,
  outcome: Outcome,
  run: (client: pg.PoolClient) => Promise<void>,
): Promise<Outcome | undefined> {
  const aside = work.aside?.database(pool, connection)
  await (aside ? aside.prepare() : ensureMarkers(pool))
  const client = await pool.connect()
  const { processID } = client as unknown as { processID: number }
  const cancel = () => void pool.query('select pg_cancel_backend($1)', [processID]).catch(() => {})
  work.signal.addEventListener('abort', cancel)
  let broken: Error | undefined
  try {
    if (work.signal.aborted)
      throw new StepFault({ code: 'stopped', message: 'stopped', effect: nothingWritten, advice: 'rerun it' })
    await client.query(`begin; set local timezone to ${literal(zone)}`)
    const before = aside ? undefined : await readMarker(client, work)
    if (before) {
      await client.query('rollback')
      before.log.push('an earlier attempt had taken effect; it was not done again')
      return before
    }
    await aside?.begin(client)
    await run(client)
    await aside?.settle(client, outcome)
    // asked to stop in the last moment: better nothing than half an answer
    if (work.signal.aborted)
      throw new StepFault({ code: 'stopped', message: 'stopped', effect: nothingWritten, advice: 'rerun it' })
    await client.query('commit')
    return undefined
  } catch (error) {
    await client.query('rollback').catch((fault: Error) => (broken = fault))
    throw error
  } finally {
    work.signal.removeEventListener('abort', cancel)
    client.release(broken)
  }
}

/** The target's columns; made from `offered` where it is not there, widened where new columns are to be added. */
export async function prepareTarget(
  client: pg.ClientBase,
  table: TargetTable,
  spec: ToTable,
  offered: readonly { readonly name: string; readonly type: string }[],
  outcome: Outcome,
): Promise<TableColumn[]> {
  const on = spec.into.connection
  let columns = await tableColumns(client, table)
  const { key } = spec.into
  if (!columns) {
    // loads of one roster may all want to make the same schema or table
    await client.query('select pg_advisory_xact_lock(hashtext($1))', ['mattock.make'])
    columns = await tableColumns(client, table)
    if (!columns) {
      await recorded(client, outcome, on, `create schema if not exists ${quoteName(table.schema)}`)
      const lines = offered.map(({ name, type }) => `${quoteName(name)} ${type}`)
      if (key) lines.push(`primary key (${key.map(quoteName).join(', ')})`)
      await recorded(client, outcome, on, `create table ${qualified(table)} (${lines.join(', ')})`)
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
          outcome,
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

/** Type of a column of a new table: the one the job gives, else the one offered by the source. */
export function typeFor(name: string, spec: Transfer, found: string): string {
  const given: ValueType | undefined = spec.types?.[name]
  return given ? postgresTypeFor(given) : found
}

/** May rows go straight into the target? Then its transaction is the staging place. */
export const goesStraight = (spec: Transfer): boolean => spec.into.write === 'append' && !spec.check?.length

/** Makes the staging table of this transaction; gone at its end, whatever the end. */
export async function makeStage(
  client: pg.ClientBase,
  table: TargetTable,
  columns: readonly string[],
  numbered: boolean,
  outcome: Outcome,
  on: string,
): Promise<void> {
  const list = columns.map(quoteName).join(', ')
  await recorded(
    client,
    outcome,
    on,
    `create temporary table mattock_stage on commit drop as select ${list} from ${qualified(table)} with no data`,
  )
  if (numbered)
    await client.query(
      'alter table mattock_stage add column mattock_line bigint generated always as identity',
    )
}

/**
 * Checks what is staged and puts it into the target: counts of written, unchanged and filtered rows.
 * `staged` is the number of rows that Postgres took into the stage.
 */
export async function applyStage(
  client: pg.ClientBase,
  table: TargetTable,
  columns: readonly string[],
  spec: ToTable,
  staged: number,
  work: Work,
  outcome: Outcome,
): Promise<{ written: number; unchanged: number; filtered: number }> {
  const { into } = spec
  const on = into.connection
  const list = columns.map(quoteName).join(', ')
  let kept = staged
  if (into.write === 'upsert') kept = await singleRows(client, table, into.key!, spec, staged, outcome)
  for (const check of spec.check ?? [])
    await checkTable(client, 'mattock_stage', 'what was read', check, outcome, on)
  switch (into.write) {
    case 'append':
      break
    case 'replace-all':
      await recorded(client, outcome, on, `truncate ${qualified(table)}`)
      break
    case 'replace-slice': {
      if (!work.slice)
        stepFault(
          'no-slice',
          'replace-slice is used in a part without slices',
          'give the job slices, or another write mode',
        )
      const by = quoteName(into.slice_by!)
      const values = [work.slice.from, work.slice.to]
      const { rows } = await client.query<{ outside: string }>(
        `select count(*) as outside from mattock_stage where ${by} is null or ${by} < $1 or ${by} >= $2`,
        values,
      )
      const outside = Number(rows[0]!.outside)
      if (outside > 0)
        stepFault(
          'outside-slice',
          `${outside} rows have a ${into.slice_by} outside the slice`,
          'look at the file, or load it with upsert',
        )
      await recorded(
        client,
        outcome,
        on,
        `delete from ${qualified(table)} where ${by} >= $1 and ${by} < $2`,
        values,
      )
      break
    }
    case 'upsert': {
      const others = columns.filter((column) => !into.key!.includes(column))
      const key = into.key!.map(quoteName).join(', ')
      const change =
        others.length === 0
          ? 'do nothing'
          : `do update set ${others.map((column) => `${quoteName(column)} = excluded.${quoteName(column)}`).join(', ')}
           where (${others.map((column) => `t.${quoteName(column)}`).join(', ')}) is distinct from (${others.map((column) => `excluded.${quoteName(column)}`).join(', ')})`
      // rows in key order, so that two loads of one table never wait for each other in a ring
      const { rowCount } = await recorded(
        client,
        outcome,
        on,
        `insert into ${qualified(table)} as t (${list}) select ${list} from mattock_stage order by ${key} on conflict (${key}) ${change}`,
      )
      return { written: rowCount ?? 0, unchanged: kept - (rowCount ?? 0), filtered: staged - kept }
    }
  }
  const { rowCount } = await recorded(
    client,
    outcome,
    on,
    `insert into ${qualified(table)} (${list}) select ${list} from mattock_stage`,
  )
  return { written: rowCount ?? 0, unchanged: 0, filtered: staged - kept }
}

/** Makes the key hold within the stage; returns the rows that are left. */
async function singleRows(
  client: pg.ClientBase,
  table: TargetTable,
  key: readonly string[],
  spec: ToTable,
  staged: number,
  outcome: Outcome,
): Promise<number> {
  const wanted = [...key].sort().join('\n')
  const keys = await uniqueKeys(client, table)
  if (!keys.some((columns) => [...columns].sort().join('\n') === wanted)) {
    stepFault(
      'no-unique-key',
      `${table.schema}.${table.name} has no unique index on ${key.join(', ')}, which upsert needs`,
      `create unique index on ${qualified(table)} (${key.map(quoteName).join(', ')})`,
    )
  }
  await checkTable(
    client,
    'mattock_stage',
    'what was read',
    { not_null: [...key] },
    outcome,
    spec.into.connection,
  )
  if (spec.into.repeats === 'fail') {
    await checkTable(
      client,
      'mattock_stage',
      'what was read',
      { unique: [...key] },
      outcome,
      spec.into.connection,
    )
    return staged
  }
  const list = key.map(quoteName).join(', ')
  const { rowCount } = await recorded(
    client,
    outcome,
    spec.into.connection,
    `delete from mattock_stage where mattock_line in (select mattock_line from (select mattock_line, row_number() over (partition by ${list} order by mattock_line desc) as place from mattock_stage) ranked where place > 1)`,
  )
  return staged - (rowCount ?? 0)
}
