import { sql, type SQL } from 'drizzle-orm'
import type { FoundDataset } from '../../core/catalog/found'
import type { Engine } from '../context/engine'

export const flags = ['unnamed', 'drifted', 'gone', 'idle', 'no-key', 'no-owner'] as const
export type Flag = (typeof flags)[number]

export interface CatalogAsk {
  readonly environment: string
  /** Words that must all occur in the name, the connection, a column, a tag, the owner or a description. */
  readonly search: string
  readonly connection?: string | undefined
  readonly tag?: string | undefined
  readonly owner?: string | undefined
  readonly flag?: Flag | undefined
  /** For `idle`: days without a load. */
  readonly days: number
  readonly offset: number
  readonly limit: number
}

export interface DatasetBrief {
  readonly id: number
  readonly name: string
  readonly connection: string
  readonly locator: string
  readonly kind: FoundDataset['kind']
  readonly columns: number
  readonly unnamed: number
  readonly files: number | null
  readonly rows: number | null
  readonly estimated: boolean
  readonly bytes: number | null
  readonly version: number
  readonly owner: string
  readonly tags: string[]
  readonly drifted: boolean
  readonly goneAt: string | null
  readonly surveyedAt: string
  /** When a load last wrote or, for files and services, read it. */
  readonly touchedAt: string | null
}

/** The newest touch of a dataset, by its place; a question of its own for each kind of place, so that the index answers it. */
const touchedAt = sql`case when d.kind in ('table', 'view')
  then (select max(t.at) from mattock.touch t where t.environment = d.environment and t.connection = d.connection and t.locator = d.start)
  else (select max(t.at) from mattock.touch t where t.environment = d.environment and t.connection = d.connection
        and t.locator ~>=~ d.start and t.locator ~<~ (d.start || U&'\\FFFF')) end`

/** Was it touched in the last days? One probe of the index for each dataset. */
const touchedSince = (days: number): SQL => {
  const since = sql`t.environment = d.environment and t.connection = d.connection and t.at > now() - make_interval(days => ${days})`
  return sql`case when d.kind in ('table', 'view')
    then exists (select 1 from mattock.touch t where ${since} and t.locator = d.start)
    else exists (select 1 from mattock.touch t where ${since} and t.locator ~>=~ d.start and t.locator ~<~ (d.start || U&'\\FFFF')) end`
}

const flagSql: Record<Exclude<Flag, 'idle'>, SQL> = {
  unnamed: sql`d.unnamed > 0`,
  drifted: sql`d.waits is not null`,
  gone: sql`d.gone_at is not null`,
  'no-key': sql`cardinality(coalesce(d.key_by_hand, d.key_found)) = 0`,
  'no-owner': sql`d.owner = ''`,
}

function conditionOf(ask: CatalogAsk): SQL {
  const conditions = [sql`d.environment = ${ask.environment}`]
  for (const word of ask.search
    .toLowerCase()
    .split(/\s+/)
    .filter((part) => part !== '')) {
    conditions.push(sql`d.search like ${`%${word.replace(/[\\%_]/g, '\\$&')}%`}`)
  }
  if (ask.connection) conditions.push(sql`d.connection = ${ask.connection}`)
  if (ask.tag) conditions.push(sql`${ask.tag} = any (d.tags)`)
  if (ask.owner) conditions.push(sql`d.owner = ${ask.owner}`)
  if (ask.flag === 'idle') conditions.push(sql`not ${touchedSince(ask.days)}`)
  else if (ask.flag) conditions.push(flagSql[ask.flag])
  return sql.join(conditions, sql` and `)
}

/** Datasets by name, one page of them, and how many fit. */
export async function listDatasets(
  engine: Engine,
  ask: CatalogAsk,
): Promise<{ total: number; datasets: DatasetBrief[] }> {
  const condition = conditionOf(ask)
  const { rows: counted } = await engine.db.execute<{ n: number }>(
    sql`select count(*)::int as n from mattock.dataset d where ${condition}`,
  )
  const { rows } = await engine.db.execute<DatasetBrief & Record<string, unknown>>(
    sql`select d.id, d.name, d.connection, d.locator, d.kind, jsonb_array_length(d.columns) as columns, d.unnamed, d.files, d.rows, d.estimated,
          d.bytes, d.version, d.owner, d.tags, d.waits is not null as drifted, d.gone_at as "goneAt", d.surveyed_at as "surveyedAt", ${touchedAt} as "touchedAt"
        from (select * from mattock.dataset d where ${condition} order by d.name, d.id limit ${ask.limit} offset ${ask.offset}) d order by d.name, d.id`,
  )
  return { total: counted[0]!.n, datasets: rows }
}

/** What there is to filter by, with numbers. */
export async function catalogFacets(engine: Engine, environment: string) {
  const { rows } = await engine.db.$client.query<{
    kind: 'connection' | 'tag' | 'owner' | 'flag'
    name: string
    n: number
  }>(
    `select 'connection' as kind, connection as name, count(*)::int as n from mattock.dataset where environment = $1 group by connection
     union all select 'tag', t, count(*)::int from mattock.dataset, unnest(tags) t where environment = $1 group by t
     union all select 'owner', owner, count(*)::int from mattock.dataset where environment = $1 and owner <> '' group by owner
     union all select 'flag', f.name, f.n from (select count(*) filter (where unnamed > 0)::int as unnamed, count(*) filter (where waits is not null)::int as drifted,
        count(*) filter (where gone_at is not null)::int as gone from mattock.dataset where environment = $1) s,
        lateral (values ('unnamed', s.unnamed), ('drifted', s.drifted), ('gone', s.gone)) f(name, n)
     order by 1, 2`,
    [environment],
  )
  const of = (kind: string) =>
    rows.filter((row) => row.kind === kind).map(({ name, n }) => ({ name, count: n }))
  return { connections: of('connection'), tags: of('tag'), owners: of('owner'), flags: of('flag') }
}
