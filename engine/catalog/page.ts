import { desc, eq } from 'drizzle-orm'
import { datasetProfile, datasetVersion } from '../../database/catalog'
import type { Engine } from '../context/engine'
import { catalogColumns, readDataset } from './reading'

/** All that a dataset's page shows but its rows and files. */
export async function datasetPage(engine: Engine, id: number) {
  const entry = await readDataset(engine, id)
  const versions = await engine.db
    .select()
    .from(datasetVersion)
    .where(eq(datasetVersion.datasetId, id))
    .orderBy(desc(datasetVersion.version))
  const [profile] = await engine.db.select().from(datasetProfile).where(eq(datasetProfile.datasetId, id))
  const exact = entry.kind === 'table' || entry.kind === 'view'
  const place = exact ? 'locator = $3' : `locator ~>=~ $3 and locator ~<~ ($3 || U&'\\FFFF')`
  const where = [entry.environment, entry.connection, entry.start]
  const client = engine.db.$client
  const { rows: uses } = await client.query<{
    job: string
    direction: 'read' | 'write'
    at: string
    run: number
    rows: number
  }>(
    `select distinct on (job, direction) job, direction, at, run_id as run, rows from mattock.touch
     where environment = $1 and connection = $2 and ${place} order by job, direction, at desc`,
    where,
  )
  const direction: 'read' | 'write' =
    exact && uses.some((use) => use.direction === 'write') ? 'write' : 'read'
  const { rows: days } = await client.query<{ day: string; rows: number; loads: number }>(
    `select to_char(at at time zone 'UTC', 'YYYY-MM-DD') as day, sum(rows)::float8 as rows, count(*)::int as loads from mattock.touch
     where environment = $1 and connection = $2 and ${place} and direction = $4 and at > now() - interval '60 days' group by 1 order by 1`,
    [...where, direction],
  )
  const { rows: counts } = await client.query<{
    at: string
    rows: number | null
    bytes: number | null
    files: number | null
  }>('select at, rows, bytes, files from mattock.dataset_count where dataset_id = $1 order by at', [id])
  return {
    ...entry,
    columns: catalogColumns(entry),
    key: entry.keyByHand ?? entry.keyFound,
    profile: profile ?? null,
    versions: versions.map(({ version, at, by, columns }) => ({ version, at, by, columns })),
    uses,
    days: { direction, days },
    counts,
  }
}

/** Files of a dataset, newest first, by page. */
export async function datasetFiles(engine: Engine, id: number, offset: number, limit: number) {
  const entry = await readDataset(engine, id)
  const { rows } = await engine.db.$client.query<{
    path: string
    size: number
    modified: string
    rows: number | null
    broken: number
    total: number
  }>(
    `select path, size, modified, (tables -> 0 ->> 'rows')::float8 as rows, coalesce((tables -> 0 ->> 'broken')::int, 0) as broken, count(*) over ()::int as total
     from mattock.file_shape where environment = $1 and connection = $2 and datasets @> array[$3::int] order by modified desc, path limit $4 offset $5`,
    [entry.environment, entry.connection, id, limit, offset],
  )
  return { total: rows[0]?.total ?? 0, files: rows.map(({ total: _, ...file }) => file) }
}
