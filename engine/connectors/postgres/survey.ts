import type pg from 'pg'
import type { FoundColumn, FoundDataset, Stray } from '../../../core/catalog/found'
import { inScope } from '../../../core/catalog/scope'
import { valueTypeOf } from '../../../core/catalog/types'
import type { SurveyScope } from '../../../database/catalog'

interface TableRow {
  readonly schema: string
  readonly name: string
  readonly kind: string
  readonly rows: number
  readonly bytes: number
  readonly comment: string | null
  /** What the connection's user lacks to read it. */
  readonly lacks: 'usage' | 'select' | null
  readonly user: string
  readonly key: string[]
  readonly columns: { name: string; type: string; required: boolean; comment: string | null }[]
}

/** Schemas that hold no data of a person: the server's own, and the markers that Mattock keeps in a target. */
const notOurs = `n.nspname !~ '^(pg_|information_schema$)' and n.nspname <> 'mattock'`

/** Of a table that was never analyzed and is smaller than this, rows are counted; of others they are not known. */
const countable = 32 * 2 ** 20

/**
 * Surveys a Postgres database in three questions, whatever its size: tables and views of the scope that may be read, and
 * apart those that may not.
 */
export async function surveyDatabase(
  client: pg.ClientBase,
  connection: string,
  scope: SurveyScope,
): Promise<{ found: FoundDataset[]; strays: Stray[] }> {
  const { rows } = await client.query<TableRow>(
    `select n.nspname as schema, c.relname as name, c.relkind::text as kind, c.reltuples::float8 as rows,
       case when c.relkind in ('r', 'm', 'p') then pg_total_relation_size(c.oid)::float8 else 0 end as bytes,
       obj_description(c.oid, 'pg_class') as comment, current_user as user,
       case when not has_schema_privilege(n.oid, 'usage') then 'usage' when not has_table_privilege(c.oid, 'select') then 'select' end as lacks,
       coalesce((select array_agg(a.attname::text order by k.ord) from pg_index i, unnest(i.indkey::int2[]) with ordinality k(num, ord)
                 join pg_attribute a on a.attnum = k.num where i.indrelid = c.oid and i.indisprimary and a.attrelid = c.oid), '{}') as key,
       (select json_agg(json_build_object('name', a.attname, 'type', format_type(a.atttypid, a.atttypmod), 'required', a.attnotnull,
                 'comment', col_description(c.oid, a.attnum)) order by a.attnum)
        from pg_attribute a where a.attrelid = c.oid and a.attnum > 0 and not a.attisdropped) as columns
     from pg_class c join pg_namespace n on n.oid = c.relnamespace
     where c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition and ${notOurs}
     order by 1, 2`,
  )
  const all = rows.filter(({ schema, name }) => inScope(`${schema}.${name}`, scope.include, scope.exclude))
  const wanted = all.filter(({ lacks }) => lacks === null)
  const strays = all.flatMap(({ schema, name, lacks, user }) =>
    lacks === null
      ? []
      : [
          {
            path: `${schema}.${name}`,
            reason: `its user ${user} may not read it: grant ${lacks} on ${lacks === 'usage' ? `schema ${schema}` : `${schema}.${name}`}`,
          },
        ],
  )
  const uncounted = wanted.filter(
    ({ kind, rows: known, bytes }) => kind === 'r' && known < 0 && bytes < countable,
  )
  const counted = new Map<string, number>()
  for (const { schema, name } of uncounted) {
    const quoted = [schema, name].map((part) => `"${part.replace(/"/g, '""')}"`).join('.')
    const { rows: answer } = await client.query<{ n: number }>(`select count(*) as n from ${quoted}`)
    counted.set(`${schema}.${name}`, answer[0]!.n)
  }
  const found = wanted.map((table): FoundDataset => {
    const locator = `${table.schema}.${table.name}`
    const exact = counted.get(locator)
    return {
      locator,
      kind: table.kind === 'v' || table.kind === 'm' ? 'view' : 'table',
      name: `${scope.prefix}${connection}.${locator}`,
      columns: (table.columns ?? []).map(columnOf),
      key: table.key,
      ...(table.kind === 'v' ? {} : { bytes: table.bytes }),
      ...(exact !== undefined
        ? { rows: exact }
        : table.rows >= 0 && table.kind !== 'v'
          ? { rows: table.rows, estimated: true }
          : {}),
      ...(table.comment === null ? {} : { comment: table.comment }),
    }
  })
  return { found, strays }
}

function columnOf({ name, type, required, comment }: TableRow['columns'][number]): FoundColumn {
  return {
    name,
    type: valueTypeOf(type),
    sourceType: type,
    ...(required ? { required } : {}),
    ...(comment === null ? {} : { comment }),
  }
}
