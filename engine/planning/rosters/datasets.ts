import { sql, type SQL } from 'drizzle-orm'
import type { ReadRoster } from './definition'

/** Wildcards of ours as LIKE writes them. */
const likePattern = (named: string): string =>
  named
    .replace(/[\\%_]/g, '\\$&')
    .replace(/\*/g, '%')
    .replace(/\?/g, '_')

/** Datasets of the catalog that are there. */
export const datasets: ReadRoster<'datasets'> = async (source, { engine, environment }) => {
  const conditions: SQL[] = [
    sql`environment = ${environment}`,
    sql`gone_at is null`,
    sql`name like ${likePattern(source.named)}`,
  ]
  if (source.connection !== null) conditions.push(sql`connection = ${source.connection}`)
  if (source.tag !== null) conditions.push(sql`${source.tag} = any (tags)`)
  const { rows } = await engine.db.execute<{
    name: string
    connection: string
    locator: string
    kind: string
    owner: string
    rows: number | null
  }>(
    sql`select name, connection, locator, kind, owner, rows::float8 as rows from mattock.dataset
        where ${sql.join(conditions, sql` and `)} order by name`,
  )
  return {
    columns: [
      { name: 'name', type: 'text' },
      { name: 'connection', type: 'text' },
      { name: 'locator', type: 'text' },
      { name: 'schema', type: 'text' },
      { name: 'table', type: 'text' },
      { name: 'kind', type: 'text' },
      { name: 'owner', type: 'text' },
      { name: 'row_count', type: 'integer' },
    ],
    key: ['name'],
    rows: rows.map((row) => {
      const dot = row.locator.indexOf('.')
      const table = row.kind === 'table' || row.kind === 'view'
      return {
        name: row.name,
        connection: row.connection,
        locator: row.locator,
        schema: table ? row.locator.slice(0, dot) : null,
        table: table ? row.locator.slice(dot + 1) : null,
        kind: row.kind,
        owner: row.owner,
        row_count: row.rows,
      }
    }),
  }
}
