import pg from 'pg'
import { fail } from '../../../core/fault'
import type { Connector, Entry } from '../definition'
import { testReach } from '../reach'
import { surveyDatabase } from './survey'
import { qualified } from './tables'

/** What the server keeps about itself, passwords among it. @throws FaultError `path` */
function refuseSystem(schema: string): void {
  if (/^(pg_.*|information_schema)$/.test(schema))
    fail('path', `${schema} is the server’s own, and not shown`, { path: schema })
}

export const postgres: Connector<'postgres'> = {
  open: (name, settings, password, engine) => {
    const config = {
      host: String(settings.host ?? '127.0.0.1'),
      port: Number(settings.port ?? 5432),
      database: String(settings.database ?? ''),
      user: String(settings.user ?? ''),
      password,
      connectionTimeoutMillis: 10_000,
      // a server that drops the link without a word is noticed
      keepAlive: true,
    }
    return { kind: 'postgres', name, config, pool: () => engine.pools.of(config) }
  },
  async test({ config }, step) {
    await testReach(String(config.host), Number(config.port), step)
    const client = new pg.Client(config)
    client.on('error', () => {})
    try {
      await step('signs in', async () => {
        await client.connect()
        const { rows } = await client.query<{ version: string }>(
          "select split_part(version(), ' on ', 1) as version",
        )
        return [undefined, `as ${config.user}; the server is ${rows[0]!.version}`]
      })
      await step('can read', async () => {
        const { rows } = await client.query<{ tables: number }>(
          `select count(*)::int as tables from pg_class c join pg_namespace n on n.oid = c.relnamespace
           where c.relkind in ('r', 'p', 'v', 'm') and n.nspname !~ '^(pg_|information_schema)'
             and has_schema_privilege(n.oid, 'usage') and has_table_privilege(c.oid, 'select')`,
        )
        return [undefined, `${rows[0]!.tables} tables and views`]
      })
      await step('can write', async () => {
        const { rows } = await client.query<{ ok: boolean; database: string }>(
          `select has_database_privilege(current_database(), 'create') as ok, current_database() as database`,
        )
        if (!rows[0]!.ok)
          throw new Error(`may not make schemas in ${rows[0]!.database}; it can be read from only`)
        return [undefined, `may make schemas in ${rows[0]!.database}`]
      })
    } finally {
      await client.end().catch(() => {})
    }
  },
  async browse({ pool }, path) {
    refuseSystem(path)
    const { rows } = await pool().query<Entry>(
      path === ''
        ? `select 'schema' as kind, n.nspname as name, n.nspname as path, null as size, null as modified,
             (select count(*)::float8 from pg_class c where c.relnamespace = n.oid and c.relkind in ('r', 'p', 'v', 'm', 'f')) as rows
           from pg_namespace n where n.nspname !~ '^(pg_|information_schema$)' and has_schema_privilege(n.oid, 'usage') order by 1, 2`
        : {
            text: `select case when c.relkind in ('v', 'm') then 'view' else 'table' end as kind, c.relname as name, n.nspname || '.' || c.relname as path,
                     case when c.relkind in ('r', 'm', 'p') then pg_total_relation_size(c.oid)::float8 end as size, null as modified,
                     case when c.reltuples >= 0 and c.relkind in ('r', 'm', 'p') then c.reltuples::float8 end as rows
                   from pg_class c join pg_namespace n on n.oid = c.relnamespace
                   where n.nspname = $1 and c.relkind in ('r', 'p', 'v', 'm', 'f') and not c.relispartition order by 2`,
            values: [path],
          },
    )
    return rows
  },
  async firstRows(opened, path, limit) {
    const dot = path.indexOf('.')
    const table = { schema: path.slice(0, dot), name: path.slice(dot + 1) }
    refuseSystem(table.schema)
    const pool = opened.pool()
    const result = await pool.query<(string | null)[]>({
      text: `select * from ${qualified(table)} limit ${limit}`,
      rowMode: 'array',
      types: { getTypeParser: () => (text: string) => text },
    })
    const { rows: types } = await pool.query<{ name: string }>(
      'select format_type(unnest($1::oid[]), -1) as name',
      [result.fields.map(({ dataTypeID }) => dataTypeID)],
    )
    return {
      columns: result.fields.map(({ name }, i) => ({ name, type: types[i]!.name })),
      rows: result.rows,
      note: 'in the order the database gives them',
    }
  },
  async survey({ name, pool }, { scope, progress }) {
    const client = await pool().connect()
    try {
      const { found, strays } = await surveyDatabase(client, name, scope)
      const seen = found.length + strays.length
      await progress({ seen, total: seen, reused: 0, bytes: 0 })
      return { found: found.map((dataset) => ({ dataset, paths: [] })), strays }
    } finally {
      client.release()
    }
  },
}
