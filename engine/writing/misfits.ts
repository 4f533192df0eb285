import type pg from 'pg'
import type { DuckDBConnection } from '@duckdb/node-api'
import type { TableColumn } from '../../core/catalog/types'
import { replaces, type ToTable } from '../../core/job/steps/transfer'
import { quoteName } from '../../core/text/slot'
import { qualified, type TargetTable } from '../connectors/postgres/tables'
import { recorded, type StepContext } from '../context/step'
import type { Casting } from '../reading/cast'
import type { MoreWrong } from '../reading/rejects'
import { pump } from './pump'

/**
 * Rows that Postgres itself refuses, found one by one: what its types say no to (an enum, a domain, a number of its
 * own), and what the table's rules do (not null, checks, keys, references). Only where a load has met such a row; one
 * without goes the short way, by COPY.
 */

/** Is it a fault of data or of a rule of the table, such as a row that another one may be without? (SQLSTATE 22, 23) */
export const isOfData = (error: unknown): boolean =>
  /^2[23]/.test((error as { readonly code?: string }).code ?? '')

interface Place {
  readonly client: pg.PoolClient
  readonly table: TargetTable
  readonly columns: readonly TableColumn[]
  readonly spec: ToTable
}

/** Fills the stage row by row with what files say. `ordered` reads the source in its order. @returns rows in the stage */
export async function stageWhatFits(
  place: Place,
  ordered: DuckDBConnection,
  { judged, wrong, operands }: Casting,
  context: StepContext,
): Promise<number> {
  const numbered = `(select *, row_number() over () as mattock_n from ${judged})`
  const select = `select mattock_n, ${operands.join(', ')} from ${numbered}${wrong ? ` where not (${wrong})` : ''}`
  return await stageRowByRow(
    place,
    (copy) => pump(place.client, ordered, select, copy, place.spec.into.connection, context),
    context,
  )
}

/**
 * Fills the stage row by row where it must be: every row that fits goes into mattock_stage, the others into
 * mattock_faults with their number, column and reason. `fill` copies the rows in, each with its number and its values as
 * Postgres writes them. @returns rows in the stage
 */
export async function stageRowByRow(
  { client, table, columns, spec }: Place,
  fill: (copy: string) => Promise<unknown>,
  context: StepContext,
): Promise<number> {
  const { outcome } = context
  const on = spec.into.connection
  const names = columns.map(({ name }) => name)
  await client.query(
    `create temporary table mattock_raw (n bigint, ${names.map((_, i) => `v${i} text`).join(', ')}) on commit drop;
     create temporary table mattock_faults (n bigint, "column" text, reason text, words text) on commit drop`,
  )
  await fill('copy mattock_raw from stdin (format csv)')
  await client.query('create index on mattock_raw (n); analyze mattock_raw')
  const list = names.map(quoteName).join(', ')
  await recorded(
    client,
    outcome,
    on,
    `create temporary table mattock_stage on commit drop as select 0::bigint as mattock_line, ${list} from ${qualified(table)} with no data`,
  )
  // halves that hold no fault go in whole: k faults among n rows cost some k·log n statements
  const body = `
     declare fault text; of text;
     begin
       begin
         insert into mattock_stage (mattock_line, ${list})
         select n, ${columns.map(({ type }, i) => `v${i}::${type}`).join(', ')} from mattock_raw where n between first and last order by n;
         return;
       exception when data_exception or integrity_constraint_violation then
         if first = last then
           get stacked diagnostics fault = message_text, of = column_name;
           insert into mattock_faults values (first, coalesce(of, ''), fault, 'values that the table’s types refuse');
           return;
         end if;
       end;
       perform pg_temp.mattock_fill(first, (first + last) / 2);
       perform pg_temp.mattock_fill((first + last) / 2 + 1, last);
     end`
  // a quoted text, since a column may be called anything, dollars among it
  await client.query(
    `create or replace function pg_temp.mattock_fill(first bigint, last bigint) returns void language plpgsql as '${body.replaceAll("'", "''")}'`,
  )
  await recorded(
    client,
    outcome,
    on,
    'select pg_temp.mattock_fill(min(n), max(n)) from mattock_raw having count(*) > 0',
  )
  await breakRules({ client, table, columns, spec }, context)
  const { rows } = await client.query<{ staged: string }>('select count(*) as staged from mattock_stage')
  return Number(rows[0]!.staged)
}

interface Rule {
  readonly name: string
  readonly does: 'holds' | 'refers' | 'once'
  /** Columns of the table, and those of the table it refers to. */
  readonly columns: readonly string[]
  readonly others: readonly string[]
  readonly refers: string | null
  readonly expression: string | null
}

/** Takes rows that a rule of the table forbids out of the stage, all the rules that a row breaks being told. */
async function breakRules({ client, table, columns, spec }: Place, { outcome }: StepContext): Promise<void> {
  const names = new Set(columns.map(({ name }) => name))
  const note = (words: string, column: string, where: string, reason = words) =>
    recorded(
      client,
      outcome,
      spec.into.connection,
      `insert into mattock_faults select s.mattock_line, $1, $2, $3 from mattock_stage s where ${where}`,
      [column, reason, words],
    )
  for (const { name, notNull } of columns)
    if (notNull) await note(`${name} is empty, and may not be`, name, `s.${quoteName(name)} is null`)
  for (const rule of await rulesOf(client, table)) {
    // what the load does not fill has the table's default, which is not for us to judge
    if (!rule.columns.every((name) => names.has(name))) continue
    const column = rule.columns.join(', ')
    const own = rule.columns.map((name) => `s.${quoteName(name)}`)
    const filled = own.map((name) => `${name} is not null`).join(' and ')
    if (rule.does === 'holds')
      await note(
        `breaks the check ${rule.name}`,
        column,
        `not (${rule.expression})`,
        `breaks the check ${rule.name}: ${rule.expression}`,
      )
    else if (rule.does === 'refers')
      await note(
        `is not in ${rule.refers}, which ${rule.name} asks for`,
        column,
        `${filled} and not exists (select 1 from ${rule.refers} r where ${rule.others.map((name, i) => `r.${quoteName(name)} = ${own[i]}`).join(' and ')})`,
      )
    else {
      const key = rule.columns.map(quoteName).join(', ')
      // the key of an upsert may come again: it says which row is meant
      if (spec.into.key && [...spec.into.key].sort().join('\n') === [...rule.columns].sort().join('\n'))
        continue
      await note(
        `the same ${column} stands in an earlier row, and ${rule.name} allows it once`,
        column,
        `s.mattock_line in (select mattock_line from (select mattock_line, row_number() over (partition by ${key} order by mattock_line) as place from mattock_stage s where ${filled}) ranked where place > 1)`,
      )
      if (replaces(spec) === 'nothing' && !spec.into.key)
        await note(
          `the same ${column} is in the table already, and ${rule.name} allows it once`,
          column,
          `exists (select 1 from ${qualified(table)} t where ${rule.columns.map((name, i) => `t.${quoteName(name)} = ${own[i]}`).join(' and ')})`,
        )
    }
  }
  await client.query('delete from mattock_stage where mattock_line in (select n from mattock_faults)')
}

async function rulesOf(client: pg.ClientBase, table: TargetTable): Promise<Rule[]> {
  const { rows } = await client.query<Rule>(
    `select c.conname as name, case c.contype when 'c' then 'holds' when 'f' then 'refers' else 'once' end as does, c.confrelid::regclass::text as refers,
       array(select a.attname::text from unnest(c.conkey) with ordinality k(num, ord) join pg_attribute a on a.attrelid = c.conrelid and a.attnum = k.num order by ord) as columns,
       array(select a.attname::text from unnest(c.confkey) with ordinality k(num, ord) join pg_attribute a on a.attrelid = c.confrelid and a.attnum = k.num order by ord) as others,
       case when c.contype = 'c' then pg_get_expr(c.conbin, c.conrelid) end as expression
     from pg_constraint c where c.conrelid = $1::regclass and c.contype in ('c', 'f', 'p', 'u') and c.convalidated
     union all
     select i.indexrelid::regclass::text, 'once', null,
       array(select a.attname::text from unnest(i.indkey::int2[]) with ordinality k(num, ord) join pg_attribute a on a.attrelid = i.indrelid and a.attnum = k.num order by ord), '{}', null
     from pg_index i where i.indrelid = $1::regclass and i.indisunique and i.indpred is null and not (0 = any (i.indkey::int2[]))
       and not exists (select 1 from pg_constraint c where c.conindid = i.indexrelid and c.conrelid = i.indrelid)`,
    [qualified(table)],
  )
  return rows
}

/** What was refused, for the record of rejects: each row once, with all that is said against it. */
export function refusedRows(client: pg.ClientBase): MoreWrong {
  return async (add) => {
    // by pages, so that a million of them are never held at once
    let after = -1
    for (;;) {
      const { rows } = await client.query<{ n: string; column: string; reason: string; words: string }>(
        `select n, min("column") as "column", string_agg(reason, '; ' order by reason) as reason, min(words) as words from mattock_faults
         where n > $1 group by n order by n limit 10000`,
        [after],
      )
      for (const { n, column, reason, words } of rows) add(Number(n), column, reason, words)
      if (rows.length < 10_000) return
      after = Number(rows.at(-1)!.n)
    }
  }
}

/** Of a row that was refused: what the record of rejects says, its number and, of `names`, its values as JSON. */
export const refusedSql = (names: readonly string[]): string =>
  `select '' as file, f.n as line, f."column", f.reason,
     (select to_jsonb(own) from (select ${names.map((name, i) => `r.v${i} as ${quoteName(name)}`).join(', ')}) own)::text as raw
   from (select n, min("column") as "column", string_agg(reason, '; ' order by reason) as reason from mattock_faults group by n) f
   join mattock_raw r on r.n = f.n order by f.n`

/** How many rows were refused, by the reason that is said of such rows. */
export async function refusedReasons(client: pg.ClientBase): Promise<Map<string, number>> {
  const { rows } = await client.query<{ words: string; n: string }>(
    'select words, count(*) as n from (select min(words) as words from mattock_faults group by n) each group by 1',
  )
  return new Map(rows.map(({ words, n }) => [words, Number(n)]))
}
