import { and, desc, eq, gt, sql } from 'drizzle-orm'
import type pg from 'pg'
import { keyText, undoChanges, type ControlEdit } from '../../core/control/edits'
import { rowCheck } from '../../core/control/rowRules'
import { cellFault, valueFault, type CellRules, type KnownThings } from '../../core/control/rules'
import { fail } from '../../core/fault'
import { groupBy } from '../../core/group'
import { quoteName } from '../../core/text/slot'
import { decimalValue, type Column, type Row, type Table, type Value, type ValueType } from '../../core/value'
import { connection, controlChange, controlTable } from '../../database/schema'
import { dataset } from '../../database/catalog'
import { valueTypeOf } from '../../core/catalog/types'
import { openPostgres } from '../connectors/connections'
import { qualified } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { againAfterDeadlock } from '../context/transaction'

export interface ControlTable extends Table {
  readonly name: string
  readonly title: string
  readonly rules: Readonly<Record<string, CellRules>>
  readonly where: { readonly connection: string | null; readonly schema: string; readonly table: string }
  /** Version of each row: it changes with every change, whoever makes it (Postgres `xmin`). */
  readonly versions: readonly string[]
}

type Found = typeof controlTable.$inferSelect

export async function findControl(engine: Engine, name: string): Promise<Found> {
  const [found] = await engine.db.select().from(controlTable).where(eq(controlTable.name, name))
  return found ?? fail('unknown-name', `there is no control table "${name}"`)
}

/** Control tables that lie elsewhere are read through the first environment that has settings, or the one given. */
export async function poolOf(engine: Engine, found: Found, environment: string): Promise<pg.Pool> {
  return found.connection === null
    ? engine.db.$client
    : await openPostgres(engine, found.connection, environment)
}

export async function describeControl(
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
  if (rows.some(({ name }) => name === '__proto__'))
    fail('control', `the table ${found.schema}.${found.table} has a column "__proto__", which cannot be edited here; give it another name`) // prettier-ignore
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
    case 'decimal':
      return decimalValue(text)
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
  const found = await findControl(engine, name)
  const pool = await poolOf(engine, found, environment)
  const { columns, key } = await describeControl(pool, found)
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

/**
 * How many rows each control table has: two questions for each database, not one for each table. A table that is not
 * there, or whose database does not answer, has no number.
 */
export async function countControls(
  engine: Engine,
  tables: readonly Found[],
  environment: string,
): Promise<Map<string, number>> {
  const counts = new Map<string, number>()
  await Promise.all(
    Array.from(
      groupBy(tables, ({ connection: of }) => of ?? ''),
      async ([, own]) => {
        try {
          const pool = await poolOf(engine, own[0]!, environment)
          const places = own.map(({ schema, table }) => qualified({ schema, name: table }))
          const { rows: there } = await pool.query<{ at: number }>(
            'select i::int - 1 as at from unnest($1::text[]) with ordinality t(place, i) where to_regclass(place) is not null',
            [places],
          )
          if (there.length === 0) return
          const { rows } = await pool.query<{ at: number; count: number }>(
            there
              .map(({ at }) => `select ${at} as at, count(*) as count from ${places[at]}`)
              .join(' union all '),
          )
          for (const { at, count } of rows) counts.set(own[at]!.name, count)
        } catch (error) {
          engine.log.warn({ error, connection: own[0]!.connection }, 'control tables could not be counted')
        }
      },
    ),
  )
  return counts
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
 * Saves edits in one transaction: all of them, or, where any row was changed by another meanwhile, none; two who save
 * the same rows in another order do not stand in each other's way. Every change goes into the history with who, when and
 * what it was before.
 * @throws FaultError `control` with the place of a cell that breaks a rule or a type
 */
export const saveControl = (
  engine: Engine,
  name: string,
  environment: string,
  edits: readonly ControlEdit[],
  by: string,
): Promise<ControlSaved> => againAfterDeadlock(() => saveOnce(engine, name, environment, edits, by))

async function saveOnce(
  engine: Engine,
  name: string,
  environment: string,
  edits: readonly ControlEdit[],
  by: string,
): Promise<ControlSaved> {
  const found = await findControl(engine, name)
  const pool = await poolOf(engine, found, environment)
  const { columns, types, key } = await describeControl(pool, found)
  checkCells(edits, columns, found, await knownThings(engine, found.rules, environment))
  const checkRow = rowCheck(columns, found.rules)
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
    for (const { after, rowKey } of history) {
      const [broken] = after ? checkRow(after) : []
      if (broken) fail('control', broken.message, { row: rowKey, path: broken.column })
    }
    await checkUnique(client, table, found.rules)
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
  known: KnownThings,
): void {
  for (const edit of edits) {
    if (edit.kind === 'remove') continue
    for (const [column, value] of Object.entries(edit.set)) {
      const own = columns.find(({ name }) => name === column)
      if (!own) fail('control', `${found.name} has no column "${column}"`)
      const wrong = value === null ? undefined : valueFault(value, own.type)
      const fault = wrong ? `${column} ${wrong}` : cellFault(own, found.rules[column], value, known)
      if (fault)
        fail('control', fault, {
          ...(edit.kind === 'change' && { row: keyText(edit.key) }),
          path: column,
        })
    }
    if (edit.kind === 'add') {
      for (const { name: column } of columns) {
        if (found.rules[column]?.required && (edit.set[column] ?? null) === null)
          fail('control', `${column} needs a value`, { path: column })
      }
    }
  }
}

/** Values of columns that are to be unique and stand twice, once the edits are in. */
async function checkUnique(
  client: pg.ClientBase,
  table: string,
  rules: Readonly<Record<string, CellRules>>,
): Promise<void> {
  for (const [column, { unique }] of Object.entries(rules)) {
    if (!unique) continue
    const name = quoteName(column)
    const { rows } = await client.query<{ value: string; n: number }>(
      `select ${name}::text as value, count(*)::int as n from ${table} where ${name} is not null group by ${name} having count(*) > 1 limit 1`,
    )
    const [twice] = rows
    if (twice)
      fail('control', `${column} is to be unique, and "${twice.value}" stands in ${twice.n} rows`, {
        path: column,
      })
  }
}

/** The names that cells may have to name; datasets only where a rule asks for them. */
export async function knownThings(
  engine: Engine,
  rules: Readonly<Record<string, CellRules>>,
  environment: string,
): Promise<KnownThings> {
  const connections = await engine.db.select({ name: connection.name }).from(connection)
  const asked = Object.values(rules).some(({ names }) => names === 'dataset')
  const datasets = asked
    ? await engine.db.select({ name: dataset.name }).from(dataset).where(eq(dataset.environment, environment))
    : []
  return { connection: connections.map(({ name }) => name), dataset: datasets.map(({ name }) => name) }
}

/** What the database refuses, in words. */
export function databaseFault(error: unknown): Error {
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

/** Changes made here, newest first; of one row, or of one of its columns. */
export async function controlHistory(
  engine: Engine,
  name: string,
  { row, column }: { row?: string | undefined; column?: string | undefined } = {},
  most = 200,
): Promise<(typeof controlChange.$inferSelect)[]> {
  return await engine.db
    .select()
    .from(controlChange)
    .where(
      and(
        eq(controlChange.table, name),
        row === undefined ? undefined : eq(controlChange.rowKey, row),
        column === undefined
          ? undefined
          : sql`${controlChange.before} -> ${column} is distinct from ${controlChange.after} -> ${column}`,
      ),
    )
    .orderBy(desc(controlChange.id))
    .limit(most)
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
