import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { rm } from 'node:fs/promises'
import { sql, type SQL } from 'drizzle-orm'
import type pg from 'pg'
import { nearestName } from '../../core/expression/nearest'
import type { BoundValue } from '../../core/text/slot'
import { fail, FaultError, type Fault } from '../../core/fault'
import { wantedSources } from '../../core/plan/expand'
import type { PlanRequest } from '../../core/plan/types'
import { fileColumns, filePattern, fileRow } from '../../core/roster/filePattern'
import { isFault, sourceId, type Gathered, type RosterSource } from '../../core/roster/source'
import { textTable } from '../../core/files/textTable'
import { valueTypeOf } from '../../core/catalog/types'
import type { Table } from '../../core/value'
import { openPostgres, openStore } from '../connectors/connections'
import { Lister } from '../connectors/files/store'
import { postgresMessage } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { readControl, readValue } from '../control/rows'
import { inBatches } from '../context/inBatches'
import { withDuck } from '../duck/duck'
import { openFiles } from '../reading/files'
import { emptyOutcome, StepFault } from '../context/work'

/** One row more than a roster may have, so that too many are told and not cut. */
const most = 1_000_001

/** Reads what the rosters of a job need, inner ones after the outer; a source that cannot be read is a fault of its own. */
export async function gatherRosters(
  engine: Engine,
  request: PlanRequest,
  given: Gathered = new Map(),
): Promise<Gathered> {
  const gathered = new Map(given)
  const read = sourceReader(engine, request)
  for (;;) {
    const wanted = wantedSources(request, gathered)
    if (wanted.length === 0) return gathered
    await inBatches(wanted, 8, async (source) => {
      gathered.set(sourceId(source), await read(source))
    })
  }
}

/** What was read while somebody types, by environment and source; a query is then not run for each letter. */
const lately = new WeakMap<Engine, Map<string, Table>>()
/** Milliseconds. */
const latelyKept = 5000

/**
 * As {@link gatherRosters}, with what was read in the last five seconds: for what is shown while a document is typed.
 * Control tables are read anew, since the next glance after an edit of one must show it; so is what could not be read.
 */
export async function gatherLately(engine: Engine, request: PlanRequest): Promise<Gathered> {
  const known = lately.get(engine) ?? new Map<string, Table>()
  lately.set(engine, known)
  const prefix = `${request.environment.name}\n${request.job.slices?.zone ?? 'UTC'}\n`
  const given = new Map<string, Table>()
  for (const [id, found] of known) if (id.startsWith(prefix)) given.set(id.slice(prefix.length), found)
  const gathered = await gatherRosters(engine, request, given)
  for (const [id, found] of gathered) {
    if (given.has(id) || isFault(found) || (JSON.parse(id) as RosterSource).kind === 'control') continue
    known.set(prefix + id, found)
    setTimeout(() => known.delete(prefix + id), latelyKept).unref()
  }
  return gathered
}

/** Reads one source; what stands in the way of reading it is told as a fault. */
export function sourceReader(
  engine: Engine,
  request: Pick<PlanRequest, 'environment' | 'job'>,
): (source: RosterSource) => Promise<Table | Fault> {
  const environment = request.environment.name
  const zone = request.job.slices?.zone ?? 'UTC'
  const listers = new Map<string, Promise<Lister>>()
  const listerOf = (store: string) => {
    let lister = listers.get(store)
    if (!lister)
      listers.set(store, (lister = openStore(engine, store, environment).then((open) => new Lister(open))))
    return lister
  }
  const read = async (source: RosterSource): Promise<Table> => {
    switch (source.kind) {
      case 'control':
        return await controlRows(engine, source.name, environment)
      case 'query':
        return await queryRows(
          await openPostgres(engine, source.connection, environment),
          source.text,
          source.values,
        )
      case 'file':
        return await fileRows(engine, source, environment, zone)
      case 'datasets':
        return await datasetRows(engine, source, environment)
      case 'files':
        return await listFiles(await listerOf(source.store), source, zone)
    }
  }
  return async (source) => {
    try {
      return await read(source)
    } catch (error) {
      return sourceFault(error, source)
    }
  }
}

/** What a source says against being read, in words; what is no matter of the source goes on as it is. */
function sourceFault(error: unknown, source: RosterSource): Fault {
  if (error instanceof FaultError) return error.fault
  if (error instanceof StepFault) return { code: 'roster', message: error.message, where: {} }
  const { code } = error as { code?: unknown }
  if (typeof code !== 'string') throw error
  const where = source.kind === 'query' ? ` (roster query on ${source.connection})` : ''
  return { code: 'roster', message: `${postgresMessage(error)}${where}`, where: {} }
}

async function controlRows(engine: Engine, name: string, environment: string): Promise<Table> {
  const known = await engine.db.query.controlTable.findMany({ columns: { name: true } })
  if (!known.some((table) => table.name === name)) {
    const near = nearestName(
      name,
      known.map((table) => table.name),
    )
    fail('unknown-name', `there is no control table "${name}"${near ? `; did you mean ${near}?` : ''}`)
  }
  return await readControl(engine, name, environment)
}

/** Rows of a SELECT, in a transaction that cannot write. The first column is the key where the roster names none. */
async function queryRows(pool: pg.Pool, text: string, values: readonly BoundValue[]): Promise<Table> {
  const client = await pool.connect()
  try {
    await client.query('begin read only')
    await client.query(`set local statement_timeout = '60s'`)
    const own = text.trim().replace(/;\s*$/, '')
    const found = await client.query<(string | null)[]>({
      text: `select * from (\n${own}\n) roster limit ${most}`,
      values: [...values] as unknown[],
      rowMode: 'array',
      types: { getTypeParser: () => (value: string) => value },
    } as unknown as pg.QueryArrayConfig)
    const oids = found.fields.map(({ dataTypeID }) => dataTypeID)
    const { rows: names } = await client.query<{ type: string }>(
      'select format_type(oid, null) as type from unnest($1::oid[]) with ordinality t(oid, n) order by n',
      [oids],
    )
    const columns = found.fields.map(({ name }, i) => ({ name, type: valueTypeOf(names[i]!.type) }))
    return {
      columns,
      key: columns.slice(0, 1).map(({ name }) => name),
      rows: found.rows.map((row) =>
        Object.fromEntries(columns.map(({ name, type }, i) => [name, readValue(row[i] ?? null, type)])),
      ),
    }
  } finally {
    await client.query('rollback').catch(() => {})
    client.release()
  }
}

/** The rows of a file of any format that transfers read, typed by their values. */
async function fileRows(
  engine: Engine,
  source: Extract<RosterSource, { kind: 'file' }>,
  environment: string,
  zone: string,
): Promise<Table> {
  const store = await openStore(engine, source.store, environment)
  const folder = join(tmpdir(), `mattock-roster-${process.pid}-${Math.random().toString(36).slice(2)}`)
  try {
    return await withDuck(zone, true, async (duck) => {
      const from = { ...source.reading, store: source.store, files: source.pattern, missing: 'fail' as const }
      const opened = await openFiles(
        duck,
        { from, into: {}, rejects: 'fail' } as never,
        store,
        { pattern: source.pattern, text: source.pattern },
        folder,
        emptyOutcome(),
      )
      // the counting beside the reading is of no use here, and its failing is told by the reading
      opened.counted.catch(() => {})
      if (opened.empty) return { columns: [], key: [], rows: [] }
      const list = opened.columns.map(({ name }) => `cast("${name.replace(/"/g, '""')}" as varchar)`)
      const reader = await duck.runAndReadAll(
        `select ${list.join(', ')} from ${opened.sql({})} limit ${most}`,
      )
      await opened.counted.catch(() => {})
      return textTable(
        opened.columns.map(({ name }) => name),
        reader.getRows() as (string | null)[][],
      )
    })
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

/** Wildcards of ours as LIKE writes them. */
const likePattern = (named: string): string =>
  named
    .replace(/[\\%_]/g, '\\$&')
    .replace(/\*/g, '%')
    .replace(/\?/g, '_')

async function datasetRows(
  engine: Engine,
  source: Extract<RosterSource, { kind: 'datasets' }>,
  environment: string,
): Promise<Table> {
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

async function listFiles(
  lister: Lister,
  source: Extract<RosterSource, { kind: 'files' }>,
  zone: string,
): Promise<Table> {
  const pattern = filePattern(source.pieces, { subfolders: source.subfolders, zone })
  const found = source.subfolders ? await lister.findDeep(pattern.glob) : await lister.find(pattern.glob)
  return {
    columns: [...pattern.columns, ...fileColumns],
    key: ['path'],
    rows: found.flatMap((file) => {
      const parts = pattern.match(file.path)
      return parts ? [fileRow(file, parts)] : []
    }),
  }
}
