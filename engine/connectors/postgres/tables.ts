import { FaultError } from '../../../core/fault'
import { isUnreachable, PassingError } from '../../context/passing'
import type pg from 'pg'
import type { TableColumn } from '../../../core/catalog/types'
import { quoteName, type Resolved } from '../../../core/text/slot'

export interface TargetTable {
  readonly schema: string
  readonly name: string
}

/** A table's name as it resolved; without a schema it is one of `public`. */
export function tableOf(resolved: Resolved): TargetTable {
  if (resolved.kind !== 'table') throw new Error('a table was expected')
  return { schema: resolved.schema ?? 'public', name: resolved.table }
}

export const qualified = ({ schema, name }: TargetTable): string => `${quoteName(schema)}.${quoteName(name)}`

/** Columns of a table or view in their order; undefined where it is not there. Generated columns are left out. */
export async function tableColumns(
  client: pg.ClientBase,
  table: TargetTable,
): Promise<TableColumn[] | undefined> {
  const { rows } = await client.query<{ name: string | null; type: string; not_null: boolean }>({
    name: 'mattock-columns',
    text: `select a.attname as name, format_type(a.atttypid, a.atttypmod) as type, a.attnotnull as not_null
           from pg_class c join pg_namespace n on n.oid = c.relnamespace
           left join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped and a.attgenerated = ''
           where n.nspname = $1 and c.relname = $2 and c.relkind in ('r', 'p', 'v', 'm', 'f')
           order by a.attnum`,
    values: [table.schema, table.name],
  })
  if (rows.length === 0) return undefined
  return rows.flatMap(({ name, type, not_null }) =>
    name === null ? [] : [{ name, type, notNull: not_null }],
  )
}

/** Columns of many tables in one question, by `schema.table`; tables that are not there are left out. */
export async function columnsOfTables(
  pool: pg.Pool,
  tables: readonly string[],
): Promise<Map<string, { name: string; type: string }[]>> {
  const { rows } = await pool.query<{ table: string; columns: { name: string; type: string }[] }>(
    `select n.nspname || '.' || c.relname as table,
       json_agg(json_build_object('name', a.attname, 'type', format_type(a.atttypid, a.atttypmod)) order by a.attnum) as columns
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     join pg_attribute a on a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped and a.attgenerated = ''
     where n.nspname || '.' || c.relname = any ($1) and c.relkind in ('r', 'p', 'v', 'm', 'f') group by 1`,
    [tables],
  )
  return new Map(rows.map(({ table, columns }) => [table, columns]))
}

/** Column sets on which the table is unique: its primary key first. */
export async function uniqueKeys(client: pg.ClientBase, table: TargetTable): Promise<string[][]> {
  const { rows } = await client.query<{ columns: string[] }>({
    name: 'mattock-unique',
    text: `select array(select a.attname::text from unnest(i.indkey::int2[]) with ordinality k(num, ord)
                        join pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.num order by k.ord) as columns
           from pg_index i join pg_class c on c.oid = i.indrelid join pg_namespace n on n.oid = c.relnamespace
           where n.nspname = $1 and c.relname = $2 and i.indisunique and i.indisvalid and i.indpred is null
             and not (0 = any (i.indkey::int2[]))
           order by i.indisprimary desc`,
    values: [table.schema, table.name],
  })
  return rows.map(({ columns }) => columns)
}

/** The columns of the primary key, in its order; none where there is none. */
export async function primaryKey(client: pg.ClientBase, table: TargetTable): Promise<string[]> {
  const { rows } = await client.query<{ columns: string[] }>(
    `select array(select a.attname::text from unnest(c.conkey) with ordinality k(num, ord)
                  join pg_attribute a on a.attrelid = c.conrelid and a.attnum = k.num order by k.ord) as columns
     from pg_constraint c where c.conrelid = to_regclass($1) and c.contype = 'p'`,
    [qualified(table)],
  )
  return rows[0]?.columns ?? []
}

/** Codes of our own faults that say that the same may work in a moment. */
const passingFaults: ReadonlySet<string> = new Set(['busy', 'away'])

/** Is the fault, or what it came of, one that may pass: a lost connection, a deadlock, a server that is starting? (SQLSTATE classes 08, 40, 53, 57P) */
export function mayPass(error: unknown): boolean {
  // what is said of a fault is often wrapped around it; no chain is longer, and none goes round for ever
  let cause = error
  for (let depth = 0; depth < 8 && cause instanceof Error; depth++, cause = cause.cause)
    if (passes(cause)) return true
  return typeof error === 'object' && error !== null && !(error instanceof Error) && passes(error as Error)
}

function passes(error: Error): boolean {
  if (error instanceof PassingError) return true
  if (error instanceof FaultError) return passingFaults.has(error.fault.code)
  const { code, message, table } = error as { code?: string; message?: string; table?: string }
  // two attempts of one load at once: the other one's marker is found at the next look
  if (code === '23505' && table === 'load_marker') return true
  if (typeof code === 'string') {
    // the disk is full, not the moment bad; and a wait for a lock was long enough
    if (code === '53100') return false
    if (/^(08|40|53|57P)/.test(code)) return true
  }
  // DuckDB's memory is shared by the loads of a worker, and free again when they are done
  return isUnreachable(error) || (message ?? '').startsWith('Out of Memory Error')
}

/** What a Postgres error says, with its detail, as one sentence. */
export function postgresMessage(error: unknown): string {
  const { message, detail, where } = error as { message: string; detail?: string; where?: string }
  const line = /COPY [^,]*, line (\d+)(, column ([^:]+))?/.exec(where ?? '')
  const place = line ? ` (line ${line[1]}${line[3] ? `, column ${line[3]}` : ''} of what was copied)` : ''
  return `${message}${detail ? `: ${detail.replace(/\.$/, '')}` : ''}${place}`
}
