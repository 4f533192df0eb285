import { eq } from 'drizzle-orm'
import { keyId, keyText } from '../../core/control/edits'
import { valueFault, type CellRules } from '../../core/control/rules'
import { mostBytes, nameBytes } from '../../core/text/nameLength'
import { quoteName } from '../../core/text/slot'
import { fail } from '../../core/fault'
import { postgresTypeFor } from '../../core/catalog/types'
import type { Column, Table } from '../../core/value'
import { controlTable } from '../../database/schema'
import { qualified } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { databaseFault, describeControl, findControl, poolOf } from './rows'
import { transaction } from '../context/transaction'

/**
 * Makes a control table in Mattock's own schema `control`, with its rows.
 * @throws FaultError `conflict` where there is one of that name, `request` for a name that is none
 */
export async function createControl(
  engine: Engine,
  given: {
    readonly name: string
    readonly title: string
    readonly table: Table
    readonly rules: Readonly<Record<string, CellRules>>
    readonly by: string
  },
): Promise<void> {
  const { name, table } = given
  checkName(name)
  if (table.columns.length === 0 || table.key.length === 0)
    fail('request', 'a control table needs columns, and a key that tells its rows apart', { path: 'key' })
  checkColumns(table)
  checkRows(table)
  const place = qualified({ schema: 'control', name })
  await transaction(engine.db.$client, async (client) => {
    const { rowCount } = await client.query(
      `select 1 from mattock.control_table where name = $1 union all select 1 where to_regclass($2) is not null`,
      [name, place],
    )
    if (rowCount)
      fail('conflict', `there is a control table "${name}" already; give this one another name`, {
        path: 'control',
      })
    const columns = table.columns.map(
      (column) =>
        `${quoteName(column.name)} ${postgresTypeFor(column.type)}${table.key.includes(column.name) ? ' not null' : ''}`,
    )
    await client.query(
      `create table ${place} (${columns.join(', ')}, primary key (${table.key.map(quoteName).join(', ')}))`,
    )
    await client
      .query(`insert into ${place} select * from jsonb_populate_recordset(null::${place}, $1::jsonb)`, [
        JSON.stringify(table.rows),
      ])
      .catch((error: unknown) => {
        throw databaseFault(error)
      })
    await client.query(
      `insert into mattock.control_table (name, title, schema, "table", rules) values ($1, $2, 'control', $1, $3)`,
      [name, given.title, JSON.stringify(given.rules)],
    )
    const changes = table.rows.map((row) => ({
      key: keyText(Object.fromEntries(table.key.map((column) => [column, row[column] ?? null]))),
      after: row,
    }))
    await client.query(
      `insert into mattock.control_change ("table", row_key, by, before, after)
       select $1, c ->> 'key', $2, null, c -> 'after' from jsonb_array_elements($3::jsonb) c`,
      [name, given.by, JSON.stringify(changes)],
    )
  })
}

/**
 * Takes a table that stands in a Postgres database as a control table; not a row of it is changed.
 * @throws FaultError `conflict`, `unknown-name` where it is not there, `control` where it has no primary key
 */
export async function adoptControl(
  engine: Engine,
  given: {
    readonly name: string
    readonly title: string
    readonly connection: string
    readonly schema: string
    readonly table: string
    readonly environment: string
  },
): Promise<void> {
  const { name, title, connection, schema, table } = given
  checkName(name)
  const found = { name, title, connection, schema, table, rules: {} }
  await describeControl(await poolOf(engine, found, given.environment), found)
  const { rowCount } = await engine.db.$client.query(
    'insert into mattock.control_table (name, title, connection, schema, "table") values ($1, $2, $3, $4, $5) on conflict do nothing',
    [name, title, connection, schema, table],
  )
  if (!rowCount)
    fail('conflict', `there is a control table "${name}" already; give this one another name`, {
      path: 'name',
    })
}

/** Sets the title and the rules of a control table. @throws FaultError `control` for rules of a column that is not there */
export async function changeControl(
  engine: Engine,
  name: string,
  environment: string,
  { title, rules }: { readonly title: string; readonly rules: Readonly<Record<string, CellRules>> },
): Promise<void> {
  const found = await findControl(engine, name)
  const { columns } = await describeControl(await poolOf(engine, found, environment), found)
  const stray = Object.keys(rules).find((column) => !columns.some((own) => own.name === column))
  if (stray !== undefined) fail('control', `${name} has no column "${stray}"`, { path: stray })
  await engine.db.update(controlTable).set({ title, rules }).where(eq(controlTable.name, name))
}

/** Adds a column; it is empty in every row. */
export async function addControlColumn(
  engine: Engine,
  name: string,
  environment: string,
  column: Column,
): Promise<void> {
  checkColumnName(column.name)
  const found = await findControl(engine, name)
  const pool = await poolOf(engine, found, environment)
  const { columns } = await describeControl(pool, found)
  if (columns.some((own) => own.name === column.name))
    fail('conflict', `${name} has a column "${column.name}" already`, { path: 'name' })
  await pool.query(
    `alter table ${qualified({ schema: found.schema, name: found.table })} add column ${quoteName(column.name)} ${postgresTypeFor(column.type)}`,
  )
}

/** Lets a control table go that no job reads: Mattock forgets it, the table stays where it is. */
export async function forgetControl(engine: Engine, name: string, readers: readonly string[]): Promise<void> {
  if (readers.length > 0)
    fail('conflict', `${readers.join(', ')} ${readers.length === 1 ? 'loops' : 'loop'} over ${name}`)
  const { rowCount } = await engine.db.delete(controlTable).where(eq(controlTable.name, name))
  if (!rowCount) fail('unknown-name', `there is no control table "${name}"`)
}

/** @throws FaultError `request` for a name that is none, or that two columns have; a key of columns that are not there */
function checkColumns({ columns, key }: Table): void {
  for (const [i, { name }] of columns.entries()) {
    checkColumnName(name)
    if (columns.findIndex((other) => other.name === name) !== i)
      fail('request', `two columns are called "${name}"`, { path: 'columns' })
  }
  const odd = key.find((name) => !columns.some((column) => column.name === name))
  if (odd !== undefined) fail('request', `there is no column "${odd}" for the key`, { path: 'key' })
}

function checkColumnName(name: string): void {
  if (name.trim() === '') fail('request', 'a column needs a name', { path: 'name' })
  if (name.includes('\0')) fail('request', 'a name cannot hold a zero byte', { path: 'name' })
  if (name === '__proto__')
    fail('request', '"__proto__" cannot be the name of a column here', { path: 'name' })
  if (nameBytes(name) > mostBytes)
    fail(
      'request',
      `"${name}" is ${nameBytes(name)} bytes long; Postgres keeps ${mostBytes} and cuts the rest`,
      {
        path: 'name',
      },
    )
}

/** @throws FaultError `key-repeats` for two rows with one key, `control` for one without, or with a value that does not fit */
function checkRows({ columns, key, rows }: Table): void {
  const seen = new Map<string, number>()
  rows.forEach((row, i) => {
    for (const column of columns) {
      const value = row[column.name] ?? null
      const fault = value === null ? undefined : valueFault(value, column.type)
      if (fault)
        fail('control', `row ${i + 1}: ${column.name} ${fault}`, {
          row: keyText(Object.fromEntries(key.map((name) => [name, row[name] ?? null]))),
          path: column.name,
        })
    }
    const own = Object.fromEntries(key.map((column) => [column, row[column] ?? null]))
    const empty = key.find((column) => own[column] === null)
    if (empty !== undefined)
      fail('control', `row ${i + 1} has no ${empty}, which is of the key`, { path: empty })
    const id = keyId(own)
    const first = seen.get(id)
    if (first !== undefined)
      fail('key-repeats', `rows ${first + 1} and ${i + 1} have the same key, ${keyText(own)}`, {
        path: 'rows',
      })
    seen.set(id, i)
  })
}

function checkName(name: string): void {
  if (!/^[a-z][a-z0-9_]{0,62}$/.test(name))
    fail('request', `"${name}" is no name for a control table: lower-case letters, digits and _`, {
      path: 'name',
    })
}
