import type { CatalogColumn } from '../../core/catalog/edits'
import { and, eq, sql } from 'drizzle-orm'
import type pg from 'pg'
import { connectorOf } from '../../core/connection/connection'
import { groupBy } from '../../core/group'
import { activeSteps, type Job } from '../../core/job/document'
import { stepDefinition, stepOf } from '../../core/job/steps'
import { waitJobs } from '../../core/job/waits'
import {
  loadedKey,
  shapeKey,
  sourceKey,
  type BeforeFact,
  type Expansion,
  type Facts,
  type FileFact,
  type LoadedFile,
  type SourceColumn,
  type StatementFact,
  type TableFact,
  type WaitFact,
} from '../../core/plan/types'
import { fileWantsOf } from '../../core/plan/fileWants'
import { transfersOf, type ResolvedTransfer } from '../../core/plan/view'
import { prepared } from '../../database/prepared'
import { readShape } from '../../database/schema'
import { connectionFacts, openAs, openPostgres } from '../connectors/connections'
import { Lister, type FileStore } from '../connectors/files/store'
import { columnsOfTables } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { memory } from '../context/memory'
import { instantText } from '../context/instant'
import { tablesOf } from '../steps/tablesOf'
import type { FileReading } from '../formats/definition'
import { documentOf, readableJob, versionsIn } from '../jobs/versions'
import { headsOf, type WantedTypes } from '../reading/heads'
import { columnsOfDatasets, setByHandOfEach, statedFirst, type SetByHand } from '../reading/known'
import { gatherMarks } from './marks'
import { gatherMoments } from './momentFacts'
import { wantedTypes } from './wantedTypes'

/** Finds out what the rules need to know: a few questions for each connection, not one for each load. */
export async function gatherFacts(engine: Engine, expansion: Expansion): Promise<Facts> {
  const environment = expansion.request.environment.name
  const job = expansion.request.job.name
  const connections = await connectionFacts(engine, environment)
  const shapes = await gatherShapes(engine, job, environment)
  const known = gatherTables(engine, expansion, connections, shapes.size > 0)
  const [
    files,
    { tables, sources, targets },
    statements,
    history,
    workers,
    before,
    calls,
    waits,
    marks,
    moments,
  ] = await Promise.all([
    // what is in the files is held against the tables that they go into
    known.then(({ targets }) => gatherFiles(engine, expansion, connections, targets)),
    known,
    gatherStatements(expansion),
    gatherHistory(engine, job, environment),
    placesOfNow(engine),
    gatherBefore(engine, expansion),
    gatherCalls(engine, expansion),
    gatherWaits(engine, expansion),
    gatherMarks(engine, expansion),
    gatherMoments(engine, expansion),
  ])
  const loaded = await gatherLoaded(engine, environment, files)
  return {
    connections,
    files,
    shapes,
    sources,
    targets,
    tables,
    statements,
    loaded,
    history,
    workers,
    before,
    ...(calls && { calls }),
    ...(waits && { waits }),
    marks,
    moments,
  }
}

/** Which jobs call which, by the newest version of each; undefined where the planned one calls none. */
async function gatherCalls(
  engine: Engine,
  { request: { job, environment } }: Expansion,
): Promise<Map<string, string[]> | undefined> {
  if (callsOf(job).length === 0) return undefined
  const versions = await versionsIn(engine, environment.name)
  return new Map(versions.map((version) => [version.job, callsOf(documentOf(version))]))
}

/** Every job with its slices and the jobs that it waits for; undefined where the planned one waits for none. */
async function gatherWaits(
  engine: Engine,
  { request: { job, environment } }: Expansion,
): Promise<Map<string, WaitFact> | undefined> {
  if (waitsOf(job).length === 0) return undefined
  const jobs = (await versionsIn(engine, environment.name)).flatMap((version) => readableJob(version) ?? [])
  return new Map(jobs.map((one) => [one.name, { slices: one.slices, waitsFor: waitsOf(one) }]))
}

const waitsOf = (job: Job): string[] => job.parts.flatMap(({ each }) => (each?.waits ?? []).flatMap(waitJobs))

/** The names of jobs that a job's steps are written with. */
const callsOf = (job: Job): string[] =>
  job.parts.flatMap((part) =>
    activeSteps(part).flatMap((step) => {
      const { kind, spec } = stepOf(step)
      return stepDefinition(kind).calls?.(spec) ?? []
    }),
  )

async function gatherFiles(
  engine: Engine,
  expansion: Expansion,
  connections: Facts['connections'],
  targets: ReadonlyMap<string, readonly SourceColumn[]>,
): Promise<Map<string, FileFact[]>> {
  const found = new Map<string, FileFact[]>()
  /** Patterns of each store, by the key of their files. */
  const byStore = new Map<string, Map<string, string>>()
  for (const { store, key, files } of fileWantsOf(expansion)) {
    let wanted = byStore.get(store)
    if (!wanted) byStore.set(store, (wanted = new Map()))
    wanted.set(key, files.pattern)
  }
  /** Who reads what is in them. */
  const readers = new Map<string, ResolvedTransfer>()
  const named = new Set<string>()
  for (const transfer of transfersOf(expansion)) {
    const { fileKey, dataset } = transfer
    if (fileKey === undefined) continue
    if (!readers.has(fileKey)) readers.set(fileKey, transfer)
    if (dataset !== undefined) named.add(dataset)
  }
  const environment = expansion.request.environment.name
  const datasets = await columnsOfDatasets(engine, environment, [...named])
  const typesFor = typesOnce(targets, datasets)
  for (const [name, wanted] of byStore) {
    const known = Object.hasOwn(connections, name) ? connections[name] : undefined
    if (!known?.configured || connectorOf(known.kind).holds !== 'files') continue
    const { store } = await openAs(engine, 'files', name, environment)
    // a few at a time: the disk has no use for ten thousand questions at once
    const listed = await new Lister(store).findMany([...wanted.values()], 32)
    const there: string[] = []
    for (const [key, pattern] of wanted) {
      const facts = listed.get(pattern) ?? none
      found.set(key, facts)
      if (facts.length > 0 && !facts[0]!.outside && readers.has(key)) there.push(key)
    }
    await noteHeads({ engine, environment, store, readers, there, typesFor }, found)
  }
  return found
}

interface Heads {
  readonly engine: Engine
  readonly environment: string
  readonly store: FileStore
  /** Who reads what is in files, by the key of the files. */
  readonly readers: ReadonlyMap<string, ResolvedTransfer>
  /** Keys of which there are files. */
  readonly there: readonly string[]
  readonly typesFor: ReturnType<typeof typesOnce>
}

/** Notes at the first file of each key what its beginning shows. */
async function noteHeads(
  { engine, environment, store, readers, there, typesFor }: Heads,
  found: Map<string, FileFact[]>,
): Promise<void> {
  // the reading alone tells how a head is read: the same for all rows of a step, so that it is one object
  const readings = new Map<string, FileReading>()
  const first = (key: string) => found.get(key)![0]!
  const unsaid = there.filter((key) => readers.get(key)!.dataset === undefined)
  const paths = unsaid.map((key) => first(key).path)
  const byHand = await setByHandOfEach(engine, environment, store.name, paths)
  const asked = there.map((key) => {
    const transfer = readers.get(key)!
    const own = transfer.dataset === undefined ? byHand(first(key).path, transfer.spec.from) : undefined
    const { store: _, files: __, missing: ___, dataset, ...said } = transfer.spec.from
    // a dataset's files are each read by their own look
    const reading = dataset === undefined ? said : { ...said, format: said.format ?? ('detect' as const) }
    const id = JSON.stringify(reading)
    if (!readings.has(id)) readings.set(id, reading)
    return { key, file: first(key), reading: readings.get(id)!, types: typesFor(transfer, own), own }
  })
  const heads = await headsOf(engine, environment, store, asked)
  for (const want of asked) {
    const known = heads.get(want)
    if (!known) continue
    const [file, ...others] = found.get(want.key)!
    const { header, head } = known
    const { dataset = '', named = [] } = want.own ?? {}
    found.set(want.key, [
      {
        ...file!,
        ...(named.length > 0 ? { named: { dataset, columns: named } } : {}),
        ...(header ? { header } : {}),
        ...(Object.keys(head).length > 0 ? { head } : {}),
      },
      ...others,
    ])
  }
}

const none: FileFact[] = []

/** What the columns of the files of a transfer are to become: worked out once for all loads of a step into a table. */
function typesOnce(
  targets: ReadonlyMap<string, readonly SourceColumn[]>,
  datasets: ReadonlyMap<string, readonly CatalogColumn[]>,
) {
  const made = new Map<string, WantedTypes | undefined>()
  return (
    { step, spec, connection, target, dataset }: ResolvedTransfer,
    own: SetByHand | undefined,
  ): WantedTypes | undefined => {
    const id = [step.id, connection, target, dataset, own?.dataset].join('\n')
    if (!made.has(id)) {
      const table = connection && target ? targets.get(sourceKey(connection, target)) : undefined
      made.set(
        id,
        wantedTypes(
          spec,
          table,
          dataset === undefined ? own && statedFirst(own.columns, spec.from) : datasets.get(dataset),
        ),
      )
    }
    return made.get(id)
  }
}

const shapesOf = prepared((db) =>
  db
    .select({ step: readShape.step, row: readShape.rowKey, columns: readShape.columns })
    .from(readShape)
    .where(
      and(
        eq(readShape.job, sql.placeholder('job')),
        eq(readShape.environment, sql.placeholder('environment')),
      ),
    )
    .prepare('columns that a job found'),
)

/** The columns that each step of a job found when it last loaded a row. */
async function gatherShapes(
  engine: Engine,
  job: string,
  environment: string,
): Promise<Map<string, readonly SourceColumn[]>> {
  const rows = await shapesOf(engine.db).execute({ job, environment })
  return new Map(rows.map(({ step, row, columns }) => [shapeKey(step, row), columns]))
}

/** What the tables are that a plan reads and writes, and the columns of those it reads. */
async function gatherTables(
  engine: Engine,
  expansion: Expansion,
  connections: Facts['connections'],
  withColumns: boolean,
): Promise<{
  tables: Map<string, TableFact>
  sources: Map<string, readonly SourceColumn[]>
  targets: Map<string, readonly SourceColumn[]>
}> {
  const wanted = new Map<string, { all: Set<string>; read: Set<string>; filled: Set<string> }>()
  const want = (name: string | undefined, table: string | undefined, use: 'read' | 'filled' | 'other') => {
    const known = name !== undefined && Object.hasOwn(connections, name) ? connections[name] : undefined
    if (
      name === undefined ||
      table === undefined ||
      !known?.configured ||
      connectorOf(known.kind).holds !== 'tables'
    )
      return
    const lists = wanted.get(name) ?? {
      all: new Set<string>(),
      read: new Set<string>(),
      filled: new Set<string>(),
    }
    wanted.set(name, lists)
    lists.all.add(table)
    if (use !== 'other') lists[use].add(table)
  }
  for (const { sourceConnection, sourceTable, connection, target, spec } of transfersOf(expansion)) {
    want(sourceConnection, sourceTable, 'read')
    if (spec.into.store === undefined)
      want(connection, target, spec.from.store === undefined ? 'other' : 'filled')
  }
  const tables = new Map<string, TableFact>()
  const sources = new Map<string, readonly SourceColumn[]>()
  const targets = new Map<string, readonly SourceColumn[]>()
  for (const [name, { all, read, filled }] of wanted) {
    try {
      const pool = await openPostgres(engine, name, expansion.request.environment.name)
      for (const [table, fact] of await rightsOf(pool, [...all])) tables.set(sourceKey(name, table), fact)
      for (const [table, columns] of await columnsOfTables(pool, [...filled]))
        targets.set(sourceKey(name, table), columns)
      if (!withColumns) continue
      for (const [table, columns] of await columnsOfTables(pool, [...read]))
        sources.set(sourceKey(name, table), columns)
    } catch (error) {
      // a database that does not answer is told by the load; the plan says what it can
      if (typeof (error as { code?: unknown }).code !== 'string') throw error
    }
  }
  return { tables, sources, targets }
}

/** Which tables are there, and what the connection's user may do with them, in one question. */
async function rightsOf(pool: pg.Pool, tables: readonly string[]): Promise<Map<string, TableFact>> {
  const { rows } = await pool.query<{
    table: string
    user: string
    exists: boolean
    view: boolean
    may_read: boolean
    may_write: boolean
    others: string[] | null
  }>(
    `select w.name as table, current_user as user, c.oid is not null as exists, coalesce(c.relkind in ('v', 'm'), false) as view,
       coalesce(has_table_privilege(c.oid, 'select'), true) as may_read,
       coalesce(has_table_privilege(c.oid, 'insert'),
         case when n.oid is null then has_database_privilege(current_database(), 'create') else has_schema_privilege(n.oid, 'create') end) as may_write,
       case when c.oid is null then array(
         select w.schema || '.' || o.relname from pg_class o where o.relnamespace = n.oid and o.relkind in ('r', 'p', 'v', 'm', 'f') limit 2000) end as others
     from (select t as name, split_part(t, '.', 1) as schema, substr(t, strpos(t, '.') + 1) as "table" from unnest($1::text[]) t) w
     left join pg_namespace n on n.nspname = w.schema
     left join pg_class c on c.relnamespace = n.oid and c.relname = w."table" and c.relkind in ('r', 'p', 'v', 'm', 'f')`,
    [tables],
  )
  return new Map(
    rows.map(({ table, user, exists, view, may_read, may_write, others }) => [
      table,
      {
        user,
        exists,
        mayRead: may_read,
        mayWrite: may_write,
        ...(view ? { view } : {}),
        ...(others ? { others } : {}),
      },
    ]),
  )
}

/** What the statements of a plan do to tables; looked at only where one of them empties or makes something. */
async function gatherStatements(expansion: Expansion): Promise<Map<string, StatementFact>> {
  const texts = new Set<string>()
  for (const part of expansion.parts) {
    const at = part.steps
      .flatMap(({ slots }) => slots)
      .flatMap((slot, i) => (slot.path === 'sql.text' ? [i] : []))
    if (at.length === 0) continue
    for (const load of expansion.loads) {
      if (load.part !== part.index) continue
      for (const i of at) {
        const resolved = load.resolved[i]
        if (resolved?.kind === 'sql') texts.add(resolved.text)
      }
    }
  }
  const facts = new Map<string, StatementFact>()
  if (![...texts].some((text) => /\b(truncate|delete|drop|create)\b/i.test(text))) return facts
  for (const text of texts) {
    const fact = await tablesOf(text)
    if (fact) facts.set(text, fact)
  }
  return facts
}

async function gatherLoaded(
  engine: Engine,
  environment: string,
  files: ReadonlyMap<string, readonly FileFact[]>,
): Promise<Map<string, LoadedFile>> {
  const paths = [...new Set([...files.values()].flatMap((facts) => facts.map(({ path }) => path)))]
  if (paths.length === 0) return new Map()
  const { rows } = await engine.db.$client.query<LoadedFile & { store: string }>(
    `select store, path, size::float8 as size, modified, sha256, target, run_id as run, at::text
     from mattock.loaded_file where environment = $1 and path = any ($2)`,
    [environment, paths],
  )
  return new Map(rows.map((row) => [loadedKey(row.store, row.path, row.target), row]))
}

/** Seconds of the newest 2,000 done loads of a job in an environment, by row and over all. */
export async function gatherHistory(
  engine: Engine,
  job: string,
  environment: string,
): Promise<Map<string, number[]>> {
  const { rows } = await engine.db.$client.query<{ row_key: string; seconds: number }>({
    name: 'history of a job',
    text: `select coalesce(l.row_key, l.key) as row_key, extract(epoch from l.ended_at - l.started_at)::float8 as seconds
     from mattock.load l join (select id from mattock.run where job = $1 and environment = $2 order by created_at desc limit 100) r on r.id = l.run_id
     where l.state = 'done' and l.ended_at >= l.started_at order by l.id desc limit 2000`,
    values: [job, environment],
  })
  const history = new Map<string, number[]>()
  for (const [key, group] of groupBy(rows, ({ row_key }) => row_key))
    history.set(
      key,
      group.map(({ seconds }) => seconds),
    )
  if (rows.length > 0)
    history.set(
      '',
      rows.map(({ seconds }) => seconds),
    )
  return history
}

/** Plans of the same moment are forecast with the same workers. */
const places = memory<number>(1, 2000)
const placesOfNow = (engine: Engine): Promise<number> =>
  places.of(engine, 'places', () => workerPlaces(engine))

/** Loads that the workers alive run at once; those of one usual worker where none is up. */
export async function workerPlaces(engine: Engine): Promise<number> {
  const { rows } = await engine.db.$client.query<{ places: number }>(
    `select coalesce(sum(capacity), 0)::int as places from mattock.worker where beat_at > clock_timestamp() - interval '15 seconds'`,
  )
  return rows[0]!.places || 3
}

/** What the last run of the job tells, and the slices near those planned that were ever loaded. */
async function gatherBefore(engine: Engine, expansion: Expansion): Promise<BeforeFact | null> {
  const { request } = expansion
  const { rows: runs } = await engine.db.$client.query<{
    run: number
    parts: { index: number; each: boolean; rows: number }[]
  }>({
    name: 'last run of a job',
    text: `select r.id as run, p.parts from mattock.run r join mattock.plan p on p.id = r.plan_id
     where r.job = $1 and r.environment = $2 and p."only" is null and r.created_at <= $3 order by r.created_at desc limit 1`,
    values: [request.job.name, request.environment.name, request.now],
  })
  const [last] = runs
  if (!last) return null
  return {
    run: last.run,
    rows: Object.fromEntries(last.parts.filter(({ each }) => each).map(({ index, rows }) => [index, rows])),
    slices: request.slices?.length ? await loadedSlices(engine, expansion) : [],
  }
}

async function loadedSlices(engine: Engine, { request }: Expansion): Promise<BeforeFact['slices']> {
  const froms = request.slices!.map(({ from }) => from).sort()
  const tos = request.slices!.map(({ to }) => to).sort()
  const { rows } = await engine.db.$client.query<{ from: string; to: string }>(
    `with done as (select slice_from, slice_to from mattock.loaded_slice where job = $1 and environment = $2)
     (select slice_from as "from", slice_to as "to" from done where slice_to > $3 and slice_from < $4)
     union (select slice_from, slice_to from done order by slice_to desc limit 1)`,
    [request.job.name, request.environment.name, froms[0], tos.at(-1)],
  )
  return rows.map(({ from, to }) => ({ from: instantText(from), to: instantText(to) }))
}
