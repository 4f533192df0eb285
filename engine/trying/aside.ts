import { createHash } from 'node:crypto'
import { mkdir } from 'node:fs/promises'
import { join } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import type pg from 'pg'
import { quoteName } from '../../core/text/slot'
import type { AsideState, StandIn, TryLook } from '../../database/try'
import { Lister, openStore, type FileStore } from '../connectors/files/store'
import { qualified, type TargetTable } from '../connectors/postgres/tables'
import { literal } from '../duck/duck'
import type { Aside, AsideDatabase } from '../context/aside'
import type { OpenSource } from '../reading/source'
import { stepFault } from '../context/step'
import { droppedTables, passedOver, readStatement, withStandIns } from './redirect'

/** Rows of a table that a stand-in copies; a larger table's stand-in begins empty, and the log says so. */
export const copiedRows = 100_000
/** Rows that are kept of what goes into a step and comes out of it. */
const shownRows = 50
const shownLetters = 400

/**
 * Where a try keeps everything it does: tables in a scratch schema that stand in for the real ones, files in a folder of
 * its own. What is written goes into the stand-in; what is read afterwards is read from there.
 */
export class TryAside implements Aside {
  /** What went into the step at work and came out of it. */
  looks: TryLook[] = []
  private readonly databases = new Map<string, TryDatabase>()

  constructor(
    /** Name of the scratch schema, in each database that the try writes to. */
    readonly schema: string,
    readonly folder: string,
    readonly state: AsideState,
  ) {}

  database(pool: pg.Pool, connection: string): TryDatabase {
    const { host, port, database } = pool.options
    const id = `${host}:${port}/${database}`
    let found = this.databases.get(id)
    if (!found) this.databases.set(id, (found = new TryDatabase(this, pool, { id, connection })))
    return found
  }

  /** Where files for a store are written. */
  async storeFor(store: FileStore): Promise<FileStore> {
    const root = join(this.folder, 'files', store.name)
    await mkdir(root, { recursive: true })
    if (!this.state.stores.includes(store.name)) this.state.stores.push(store.name)
    return openStore(store.name, root)
  }

  /** The store that holds the files of a pattern: what this try wrote, where it wrote such files. */
  async storeOf(store: FileStore, pattern: string): Promise<FileStore> {
    if (!this.state.stores.includes(store.name)) return store
    const own = await this.storeFor(store)
    return (await new Lister(own).find(pattern)).length > 0 ? own : store
  }

  /** Keeps the first rows that a step reads. */
  async lookAtSource(duck: DuckDBConnection, source: OpenSource): Promise<void> {
    const list = source.columns.map(({ name }) => `cast(${quoteName(name)} as varchar)`).join(', ')
    const reader = await duck.runAndReadAll(`select ${list} from ${source.sql()} limit ${shownRows}`)
    this.looks.push({
      side: 'in',
      title: source.label,
      columns: source.columns.map(({ name, type }) => (source.ofText ? { name } : { name, type })),
      rows: (reader.getRows() as (string | null)[][]).map(cut),
    })
  }

  /** Keeps the first rows that a query of DuckDB gives, as what comes out of the step. */
  async lookAtOutput(duck: DuckDBConnection, title: string, select: string): Promise<void> {
    const reader = await duck.runAndReadAll(
      `select columns(*)::varchar from (${select}) as shown limit ${shownRows}`,
    )
    this.looks.push({
      side: 'out',
      title,
      columns: reader.columnNames().map((name) => ({ name })),
      rows: (reader.getRows() as (string | null)[][]).map(cut),
    })
  }

  /** Says a text without the scratch schema, as the person who wrote the job knows its tables. */
  plainText(text: string): string {
    return text.replaceAll(`${quoteName(this.schema)}.`, '').replaceAll(`${this.schema}.`, '')
  }
}

const cut = (row: readonly (string | null)[]): (string | null)[] =>
  row.map((value) => (value && value.length > shownLetters ? `${value.slice(0, shownLetters)}…` : value))

/**
 * What a transaction changed outside the scratch schema $1: relations it holds a lock on that goes with a change, those
 * it dropped (a lock remains on a number that was there before: up to $2, and none of $3), and schemas, functions and
 * extensions it made. What was made below a savepoint, or in a block with an exception, has a later number than the
 * transaction itself, so ages are compared.
 */
const changedOutside = `
  with held as (
    select distinct relation from pg_locks
    where locktype = 'relation' and pid = pg_backend_pid() and granted
      and database = (select oid from pg_database where datname = current_database())
      and mode in ('RowExclusiveLock', 'ShareUpdateExclusiveLock', 'ShareLock', 'ShareRowExclusiveLock', 'ExclusiveLock', 'AccessExclusiveLock'))
  select n.nspname || '.' || c.relname as name
  from held join pg_class c on c.oid = held.relation join pg_namespace n on n.oid = c.relnamespace
  where n.nspname <> $1 and n.nspname !~ '^pg_(toast|temp)' and n.nspname not in ('pg_catalog', 'information_schema')
  union
  select 'a table that it dropped' from held
  where relation::bigint <= $2 and relation::bigint <> all ($3) and not exists (select 1 from pg_class where oid = held.relation)
  union select 'the schema ' || nspname from pg_namespace where nspname !~ '^pg_' and age(xmin) <= age(pg_current_xact_id()::xid)
  union select 'the function ' || proname from pg_proc where age(xmin) <= age(pg_current_xact_id()::xid)
  union select 'the extension ' || extname from pg_extension where age(xmin) <= age(pg_current_xact_id()::xid)
  order by 1`

/** The stand-ins of one database. */
export class TryDatabase implements AsideDatabase {
  private made: Promise<unknown> | undefined
  /** Tables that the step at work touched, with the rows their stand-ins had before. */
  private touched = new Map<StandIn, number>()
  private notes: string[] = []
  private newest = 0
  private own: number[] = []

  constructor(
    private readonly aside: TryAside,
    private readonly pool: pg.Pool,
    private readonly place: { readonly id: string; readonly connection: string },
  ) {}

  /** Makes the scratch schema where it is not there. @throws StepFault `try` where that is not allowed */
  async prepare(): Promise<void> {
    this.touched = new Map()
    this.notes = []
    this.made ??= this.pool.query(`create schema if not exists ${quoteName(this.aside.schema)}`)
    try {
      await this.made
    } catch (error) {
      this.made = undefined
      if ((error as { code?: string }).code === '42501')
        stepFault(
          'try',
          `a try writes into a scratch schema, and ${this.pool.options.user} may not make one in ${this.pool.options.database}`,
          `grant create on database ${quoteName(String(this.pool.options.database))} to ${quoteName(String(this.pool.options.user))}`,
        )
      throw error
    }
    const { databases } = this.aside.state
    if (!databases.some(({ id }) => id === this.place.id)) databases.push(this.place)
  }

  /** At the start of a step's transaction: notes what is there, so that at its end a table that is gone is known. */
  async begin(client: pg.ClientBase): Promise<void> {
    const { rows } = await client.query<{ newest: number; own: number[] }>(
      `select max(c.oid::bigint) as newest,
         coalesce(array_agg(c.oid::bigint) filter (where n.nspname = $1 or n.nspname ~ '^pg_(toast|temp)'), '{}') as own
       from pg_class c join pg_namespace n on n.oid = c.relnamespace`,
      [this.aside.schema],
    )
    this.newest = rows[0]!.newest
    this.own = rows[0]!.own
  }

  private find(table: string): StandIn | undefined {
    return this.aside.state.tables.find((entry) => entry.database === this.place.id && entry.table === table)
  }

  private at = (entry: StandIn): TargetTable => ({ schema: this.aside.schema, name: entry.name })

  /** The stand-in of a table where there is one, else the table itself. */
  async reading(table: TargetTable): Promise<TargetTable> {
    const entry = this.find(`${table.schema}.${table.name}`)
    if (!entry) return table
    await this.fill(entry)
    return this.at(entry)
  }

  /** The stand-in of a table that is about to be written. */
  async writing(table: TargetTable): Promise<TargetTable> {
    const entry = await this.standIn(`${table.schema}.${table.name}`, true)
    return this.at(entry)
  }

  /** A SELECT with the names of stand-ins in it. */
  async query(text: string): Promise<string> {
    const read = await readStatement(text)
    for (const { table } of read.tables) {
      const entry = this.find(table)
      if (entry) await this.fill(entry)
    }
    return withStandIns(text, read, (table) => this.nameOf(table))
  }

  /** A statement of a job as a try runs it; undefined where it is passed over. */
  async statement(text: string): Promise<string | undefined> {
    const read = await readStatement(text)
    const passed = passedOver(read.kind)
    if (passed) {
      this.notes.push(`passed over: ${passed}`)
      return undefined
    }
    if (read.kind === 'DropStmt') {
      const entries = await Promise.all(droppedTables(read.tree).map((table) => this.standIn(table, false)))
      return `drop table if exists ${entries.map((entry) => qualified(this.at(entry))).join(', ')} cascade`
    }
    for (const { table, writes, shape } of read.tables) {
      if (writes) await this.standIn(table, !shape)
      else {
        const entry = this.find(table)
        if (entry && !shape) await this.fill(entry)
      }
    }
    return withStandIns(text, read, (table) => this.nameOf(table))
  }

  private nameOf(table: string): string | undefined {
    const entry = this.find(table)
    return entry && qualified(this.at(entry))
  }

  private async standIn(table: string, rows: boolean): Promise<StandIn> {
    let entry = this.find(table)
    if (!entry) {
      entry = { database: this.place.id, table, name: scratchName(table), filled: false }
      const real = placeOf(table)
      const there = await this.pool.query(
        `select from pg_class c join pg_namespace n on n.oid = c.relnamespace
         where n.nspname = $1 and c.relname = $2 and c.relkind in ('r', 'p', 'f', 'v', 'm')`,
        [real.schema, real.name],
      )
      if (there.rowCount) await this.copyShape(real, this.at(entry))
      else entry.filled = true
      this.aside.state.tables.push(entry)
    }
    if (rows) await this.fill(entry)
    if (!this.touched.has(entry)) this.touched.set(entry, await this.rowsOf(this.pool, entry))
    return entry
  }

  /**
   * On a connection of its own and committed at once, so that rows the step itself writes are told from rows copied by
   * their transaction.
   */
  private async copyShape(real: TargetTable, copy: TargetTable): Promise<void> {
    await this.pool.query(
      `create table if not exists ${qualified(copy)} (like ${qualified(real)} including all)`,
    )
    // LIKE takes over defaults that move the real table's sequences; each is given one that goes on from there
    const { rows } = await this.pool.query<{ name: string; sequence: string; identity: string | null }>(
      `select a.attname as name, coalesce(s.oid::regclass::text, pg_get_serial_sequence($2, a.attname)) as sequence,
         case when a.attidentity <> '' then pg_get_serial_sequence($1, a.attname) end as identity
       from pg_attribute a
       left join pg_attrdef f on f.adrelid = a.attrelid and f.adnum = a.attnum
       left join pg_depend d on d.classid = 'pg_attrdef'::regclass and d.objid = f.oid and d.refclassid = 'pg_class'::regclass
       left join pg_class s on s.oid = d.refobjid and s.relkind = 'S'
       where a.attrelid = $1::regclass and a.attnum > 0 and (s.oid is not null or a.attidentity <> '')`,
      [qualified(copy), qualified(real)],
    )
    for (const { name, sequence, identity } of rows) {
      let own = identity
      if (own === null) {
        own = qualified({ schema: copy.schema, name: scratchName(`${copy.name}.${name}`) })
        await this.pool.query(`create sequence ${own}`)
        await this.pool.query(
          `alter table ${qualified(copy)} alter column ${quoteName(name)} set default nextval(${literal(own)})`,
        )
      }
      await this.pool.query(`select setval(${literal(own)}, last_value, is_called) from ${sequence}`)
    }
  }

  private async fill(entry: StandIn): Promise<void> {
    if (entry.filled) return
    const real = qualified(placeOf(entry.table))
    const { rows } = await this.pool.query<{ n: number }>(
      `select count(*)::int as n from (select from ${real} limit ${copiedRows + 1}) as counted`,
    )
    entry.filled = true
    if (rows[0]!.n > copiedRows) {
      this.notes.push(
        `works on an empty copy of ${entry.table}: it has more than ${copiedRows.toLocaleString('en')} rows`,
      )
      return
    }
    const columns = await this.pool.query<{ name: string }>(
      `select attname as name from pg_attribute where attrelid = $1::regclass and attnum > 0 and not attisdropped and attgenerated = ''`,
      [real],
    )
    const list = columns.rows.map(({ name: column }) => quoteName(column)).join(', ')
    if (list !== '')
      await this.pool.query(
        `insert into ${qualified(this.at(entry))} (${list}) overriding system value select ${list} from ${real}`,
      )
    // rows copied in the middle of a step were there before it
    const before = this.touched.get(entry)
    if (before !== undefined) this.touched.set(entry, before + rows[0]!.n)
    this.notes.push(`works on a copy of ${entry.table} and its ${rows[0]!.n.toLocaleString('en')} rows`)
  }

  private async rowsOf(client: pg.ClientBase | pg.Pool, entry: StandIn): Promise<number> {
    const name = qualified(this.at(entry))
    const there = await client.query<{ there: boolean }>('select to_regclass($1) is not null as there', [
      name,
    ])
    if (!there.rows[0]!.there) return 0
    const { rows } = await client.query<{ n: string }>(`select count(*) as n from ${name}`)
    return Number(rows[0]!.n)
  }

  /** Keeps the first rows of a SELECT, as what goes into the step. */
  async lookAtQuery(title: string, text: string, values: readonly unknown[]): Promise<void> {
    const client = await this.pool.connect()
    try {
      await client.query('begin read only')
      const { fields, rows } = await client.query<(string | null)[]>({
        text: `select * from (\n${text.trim().replace(/;\s*$/, '')}\n) as shown limit ${shownRows}`,
        values: values as unknown[],
        rowMode: 'array',
        types: { getTypeParser: () => (value: string) => value },
      })
      this.aside.looks.push({
        side: 'in',
        title,
        columns: fields.map(({ name }) => ({ name })),
        rows: rows.map(cut),
      })
    } finally {
      await client.query('rollback').catch(() => {})
      client.release()
    }
  }

  /**
   * At the end of a step's transaction: makes sure that nothing outside the scratch schema was changed, and keeps what
   * came out. A change of rows or of a table's shape holds a lock on it until the transaction ends (Postgres manual,
   * 13.3.1), whoever made it: a function, a trigger, a rule.
   * @throws StepFault `try`
   */
  async settle(client: pg.ClientBase, outcome: { readonly log: string[] }): Promise<void> {
    const { rows } = await client.query<{ name: string }>(changedOutside, [
      this.aside.schema,
      this.newest,
      this.own,
    ])
    if (rows.length > 0)
      stepFault(
        'try',
        `the statement changes ${rows.map(({ name }) => name).join(', ')} by way of a function or a trigger, outside the try's scratch schema; it was rolled back`,
        'turn the step off for the try, or run the load for real',
      )
    for (const [entry, before] of this.touched) {
      const after = await this.rowsOf(client, entry)
      const exists = await client.query<{ there: boolean }>('select to_regclass($1) is not null as there', [qualified(this.at(entry))]) // prettier-ignore
      if (!exists.rows[0]!.there) continue
      const { fields, rows: written } = await client.query<(string | null)[]>({
        text: `select * from ${qualified(this.at(entry))} where age(xmin) <= age(pg_current_xact_id()::xid) limit ${shownRows}`,
        rowMode: 'array',
        types: { getTypeParser: () => (value: string) => value },
      })
      this.aside.looks.push({
        side: 'out',
        title: entry.table,
        columns: fields.map(({ name }) => ({ name })),
        rows: written.map(cut),
        before,
        after,
      })
    }
    outcome.log.unshift(...this.notes)
  }
}

/** A table by its `schema.name`; the name may hold dots of its own. */
const placeOf = (table: string): TargetTable => ({
  schema: table.slice(0, table.indexOf('.')),
  name: table.slice(table.indexOf('.') + 1),
})

/** Name of a stand-in: the table's own with its schema, within the 63 bytes of a Postgres name. */
function scratchName(table: string): string {
  if (Buffer.byteLength(table) <= 63) return table
  const mark = createHash('sha256').update(table).digest('hex').slice(0, 12)
  return `${Buffer.from(table)
    .subarray(0, 48)
    .toString('utf8')
    .replace(/\uFFFD+$/, '')}~${mark}`
}
