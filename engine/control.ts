import { and, desc, eq, gt } from 'drizzle-orm'
import type pg from 'pg'
import { keyText, undoChanges, type ControlEdit } from '../core/control/edits'
import { fail } from '../core/fault'
import { quoteName } from '../core/expression/slot'
import { cellFault } from '../core/schema/rules'
import { postgresTypeFor, valueTypeOf } from '../core/schema/types'
import { type Column, type Row, type Table, type Value, type ValueType } from '../core/value'
import { connection, controlChange, controlTable, type ColumnRules } from '../database/schema'
import { openPostgres } from './connections'
import { qualified } from './connectors/postgres'
import type { Engine } from './context'
import { transaction } from './transaction'

export interface ControlTable extends Table {
  readonly name: string
  readonly title: string
  readonly rules: Readonly<Record<string, ColumnRules>>
  readonly where: { readonly connection: string | null; readonly schema: string; readonly table: string }
  /** Version of each row: it changes with every change, whoever makes it (Postgres `xmin`). */
  readonly versions: readonly string[]
}

type Found = typeof controlTable.$inferSelect

async function find(engine: Engine, name: string): Promise<Found> {
  const [found] = await engine.db.select().from(controlTable).where(eq(controlTable.name, name))
  return found ?? fail('unknown-name', `there is no control table "${name}"`)
}

/** Control tables that lie elsewhere are read through the first environment that has settings, or the one given. */
async function poolOf(engine: Engine, found: Found, environment: string): Promise<pg.Pool> {
  return found.connection === null
    ? engine.db.$client
    : await openPostgres(engine, found.connection, environment)
}

async function describe(
  client: pg.ClientBase | pg.Pool,
  found: Found,
): Promise<{ columns: Column[]; types: Record<string, string>; key: string[] }> {
  const { rows } = await client.query<{ name: string; type: string; key: number | null }>(
    `select a.attname as name, format_type(a.atttypid, a.atttypmod) as type, array_position(i.indkey::int2[], a.attnum) as key
     from pg_attribute a
     left join pg_index i on i.indrelid = a.attrelid and i.indisprimary
     where a.attrelid = to_regclass($1) and a.attnum > 0 and not a.attisdropped and a.attgenerated = ''
     order by a.attnum`,
    [qualified({ schema: found.schema, name: found.table })],
  )
  if (rows.length === 0)
    fail(
      'unknown-name',
      `the table ${found.schema}.${found.table} of control table ${found.name} is not there any more`,
    )
  const key = rows
    .filter((row) => row.key !== null)
    .sort((a, b) => a.key! - b.key!)
    .map(({ name }) => name)
  if (key.length === 0)
    fail('control', `the table ${found.schema}.${found.table} has no primary key; a control table needs one`)
  return {
    columns: rows.map(({ name, type }) => ({ name, type: valueTypeOf(type) })),
    types: Object.fromEntries(rows.map(({ name, type }) => [name, type])),
    key,
  }
}

/** Text as Postgres writes it, read as a value of its type. */
export function readValue(text: string | null, type: ValueType): Value {
  if (text === null) return null
  switch (type) {
    case 'boolean':
      return text === 'true' || text === 't'
    case 'integer':
      return Number.isSafeInteger(Number(text)) ? Number(text) : text
    case 'number':
      return Number(text)
    case 'timestamp':
      return new Date(text).toISOString()
    default:
      return text
  }
}

const rowSelect = (columns: readonly Column[]): string =>
  columns.map(({ name }) => `${quoteName(name)}::text`).join(', ')

/** The rows as they stand now, in the order of their key. */
export async function readControl(engine: Engine, name: string, environment: string): Promise<ControlTable> {
  const found = await find(engine, name)
  const pool = await poolOf(engine, found, environment)
  const { columns, key } = await describe(pool, found)
  const { rows } = await pool.query<string[]>({
    text: `select xmin::text, ${rowSelect(columns)} from ${qualified({ schema: found.schema, name: found.table })}
           order by ${key.map(quoteName).join(', ')}`,
    rowMode: 'array',
  } as pg.QueryArrayConfig)
  return {
    name,
    title: found.title,
    rules: found.rules,
    where: { connection: found.connection, schema: found.schema, table: found.table },
    columns,
    key,
    rows: rows.map((row) =>
      Object.fromEntries(
        columns.map(({ name: column, type }, i) => [column, readValue(row[i + 1] ?? null, type)]),
      ),
    ),
    versions: rows.map((row) => row[0]!),
  }
}

/** A row that somebody else changed meanwhile; `now` is null where it was removed. */
export interface ControlConflict {
  readonly key: Row
  readonly now: Row | null
  readonly version: string | null
}

export interface ControlSaved {
  readonly saved: number
  readonly conflicts: readonly ControlConflict[]
}

/**
 * Saves edits in one transaction: all of them, or, where any row was changed by another meanwhile, none.
 * Every change goes into the history with who, when and what it was before.
 * @throws FaultError `control` with the place of a cell that breaks a rule or a type
 */
export async function saveControl(
  engine: Engine,
  name: string,
  environment: string,
  edits: readonly ControlEdit[],
  by: string,
): Promise<ControlSaved> {
  const found = await find(engine, name)
  const pool = await poolOf(engine, found, environment)
  const { columns, types, key } = await describe(pool, found)
  const connections = (await engine.db.select({ name: connection.name }).from(connection)).map(
    (row) => row.name,
  )
  checkCells(edits, columns, found, connections)
  const table = qualified({ schema: found.schema, name: found.table })
  const conflicts: ControlConflict[] = []
  const history: HistoryEntry[] = []
  const client = await pool.connect()
  const readRow = async (of: Row): Promise<{ row: Row; version: string } | undefined> => {
    const { rows } = await client.query<string[]>({
      text: `select xmin::text, ${rowSelect(columns)} from ${table} where ${key.map((column, i) => `${quoteName(column)} = $${i + 1}`).join(' and ')} for update`,
      values: key.map((column) => of[column] ?? null),
      rowMode: 'array',
    } as pg.QueryArrayConfig)
    const [first] = rows
    return (
      first && {
        version: first[0]!,
        row: Object.fromEntries(
          columns.map(({ name: column, type }, i) => [column, readValue(first[i + 1] ?? null, type)]),
        ),
      }
    )
  }
  try {
    await client.query('begin')
    for (const edit of edits) {
      const names = edit.kind === 'remove' ? [] : Object.keys(edit.set)
      const values = edit.kind === 'remove' ? [] : names.map((column) => edit.set[column] ?? null)
      const bound = names.map((column, i) => `$${i + 1}::${types[column]}`)
      if (edit.kind === 'add') {
        await client.query(
          `insert into ${table} (${names.map(quoteName).join(', ')}) values (${bound.join(', ')})`,
          values,
        )
        const keyed = Object.fromEntries(key.map((column) => [column, edit.set[column] ?? null]))
        history.push({
          rowKey: keyText(keyed),
          before: null,
          after: (await readRow(keyed))?.row ?? edit.set,
        })
        continue
      }
      const before = await readRow(edit.key)
      if (!before || before.version !== edit.version) {
        conflicts.push({ key: edit.key, now: before?.row ?? null, version: before?.version ?? null })
        continue
      }
      const keyTest = key.map((column, i) => `${quoteName(column)} = $${names.length + i + 1}`).join(' and ')
      const keyValues = key.map((column) => edit.key[column] ?? null)
      if (edit.kind === 'remove') {
        await client.query(`delete from ${table} where ${keyTest}`, keyValues)
        history.push({ rowKey: keyText(edit.key), before: before.row, after: null })
      } else if (names.length > 0) {
        await client.query(
          `update ${table} set ${names.map((column, i) => `${quoteName(column)} = ${bound[i]}`).join(', ')} where ${keyTest}`,
          [...values, ...keyValues],
        )
        history.push({
          rowKey: keyText(edit.key),
          before: before.row,
          after: { ...before.row, ...edit.set },
        })
      }
    }
    if (conflicts.length > 0) {
      await client.query('rollback')
      return { saved: 0, conflicts }
    }
    // in Mattock's own database the history is part of the same transaction; elsewhere it follows at once
    if (found.connection === null) await writeHistory(client, name, by, history)
    await client.query('commit')
    if (found.connection !== null) await writeHistory(engine.db.$client, name, by, history)
  } catch (error) {
    await client.query('rollback').catch(() => {})
    throw databaseFault(error)
  } finally {
    client.release()
  }
  return { saved: history.length, conflicts: [] }
}

interface HistoryEntry {
  readonly rowKey: string
  readonly before: Row | null
  readonly after: Row | null
}

async function writeHistory(
  client: pg.ClientBase | pg.Pool,
  table: string,
  by: string,
  history: readonly HistoryEntry[],
): Promise<void> {
  await client.query(
    `insert into mattock.control_change ("table", row_key, by, before, after)
     select $1, e ->> 'rowKey', $2, nullif(e -> 'before', 'null'), nullif(e -> 'after', 'null')
     from jsonb_array_elements($3::jsonb) e`,
    [table, by, JSON.stringify(history)],
  )
}

function checkCells(
  edits: readonly ControlEdit[],
  columns: readonly Column[],
  found: Found,
  connections: readonly string[],
): void {
  for (const edit of edits) {
    if (edit.kind === 'remove') continue
    for (const [column, value] of Object.entries(edit.set)) {
      const known = columns.find(({ name }) => name === column)
      if (!known) fail('control', `${found.name} has no column "${column}"`)
      const fault = cellFault(known, found.rules[column], value, connections)
      if (fault)
        fail('control', fault, {
          row: edit.kind === 'change' ? keyText(edit.key) : undefined,
          path: column,
        } as never)
    }
    if (edit.kind === 'add') {
      for (const { name: column } of columns) {
        if (found.rules[column]?.required && (edit.set[column] ?? null) === null)
          fail('control', `${column} needs a value`, { path: column })
      }
    }
  }
}

/** What the database refuses, in words. */
function databaseFault(error: unknown): Error {
  const { code, detail, column } = error as { code?: string; detail?: string; column?: string }
  try {
    if (code === '23505') fail('control', `there is such a row already: ${detail ?? ''}`)
    if (code === '23502') fail('control', `${column ?? 'a column'} needs a value`)
    if (typeof code === 'string' && /^2[23]/.test(code))
      fail('control', `the database refuses this: ${(error as Error).message}${detail ? ` (${detail})` : ''}`)
  } catch (fault) {
    return fault as Error
  }
  return error as Error
}

export async function controlHistory(
  engine: Engine,
  name: string,
  most = 200,
): Promise<(typeof controlChange.$inferSelect)[]> {
  return await engine.db
    .select()
    .from(controlChange)
    .where(eq(controlChange.table, name))
    .orderBy(desc(controlChange.id))
    .limit(most)
}

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
    readonly rules: Readonly<Record<string, ColumnRules>>
    readonly by: string
  },
): Promise<void> {
  const { name, table } = given
  if (!/^[a-z][a-z0-9_]{0,62}$/.test(name))
    fail('request', `"${name}" is no name for a control table: lower-case letters, digits and _`, {
      path: 'control',
    })
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
    await client.query(
      `insert into ${place} select * from jsonb_populate_recordset(null::${place}, $1::jsonb)`,
      [JSON.stringify(table.rows)],
    )
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

/** The rows as they were at a time, as far as they were changed here. */
export async function controlAsOf(
  engine: Engine,
  name: string,
  environment: string,
  at: string,
): Promise<ControlTable> {
  const table = await readControl(engine, name, environment)
  const changes = await engine.db
    .select()
    .from(controlChange)
    .where(and(eq(controlChange.table, name), gt(controlChange.at, at)))
    .orderBy(desc(controlChange.id))
  return undoChanges(
    table,
    changes.map(({ rowKey, before, after }) => ({ rowKey, before: before ?? null, after: after ?? null })),
  )
}
