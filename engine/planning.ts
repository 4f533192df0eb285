import { and, eq, sql } from 'drizzle-orm'
import { fail } from '../core/fault'
import { groupBy } from '../core/group'
import type { Job, Transfer } from '../core/job/document'
import { differing } from '../core/plan/differing'
import { expand } from '../core/plan/expand'
import { judge } from '../core/plan/plan'
import {
  fileKey,
  loadedKey,
  shapeKey,
  sourceKey,
  type Expansion,
  type Facts,
  type FileFact,
  type LoadedFile,
  type Plan,
  type PlanRequest,
  type SourceColumn,
} from '../core/plan/types'
import { connectionsOf, transfersOf, wantedFiles } from '../core/plan/view'
import { newestClosed, slicesInSpan, type Slice } from '../core/slice/slices'
import type { Row, Table } from '../core/value'
import { environment as environmentTable, readShape, type StoredPart } from '../database/schema'
import { connectionFacts, openPostgres, openStore } from './connections'
import { columnsOfTables } from './connectors/postgres'
import { Lister } from './connectors/files'
import { headerOf } from './transfer/source'
import type { Engine } from './context'
import { transaction } from './transaction'
import { readControl } from './control'
import { documentOf, readVersion, type JobVersion } from './jobs'

export interface PlanAsk {
  readonly job: string
  readonly environment: string
  readonly parameters: Row
  readonly only?: string | undefined
  /** `FROM/TO` or a single start; the newest closed slice where it is not given. */
  readonly span?: string | undefined
  readonly by: string
  /** ISO 8601 instant that counts as now; the demo's history sets it. */
  readonly now?: string
}

export async function readEnvironment(
  engine: Engine,
  name: string,
): Promise<{ name: string; values: Row; live: boolean }> {
  const [found] = await engine.db.select().from(environmentTable).where(eq(environmentTable.name, name))
  return found ?? fail('unknown-name', `there is no environment "${name}"`)
}

/** The control tables that a job's rosters name. */
export async function controlTables(
  engine: Engine,
  job: Job,
  environment: string,
): Promise<Map<string, Table>> {
  const names = new Set(
    job.parts.flatMap((part) => (part.each?.roster.control === undefined ? [] : [part.each.roster.control])),
  )
  const known = await engine.db.query.controlTable.findMany({ columns: { name: true } })
  const tables = new Map<string, Table>()
  for (const { name } of known)
    if (names.has(name)) tables.set(name, await readControl(engine, name, environment))
  return tables
}

/** @throws FaultError `slices` where the span cannot be read, or the job has no slices */
function slicesFor(job: Job, span: string | undefined, now: string): Slice[] | undefined {
  if (!job.slices) {
    if (span) fail('slices', `job ${job.name} has no slices; leave the span out`, { job: job.name })
    return undefined
  }
  if (span) return slicesInSpan(job.slices, span)
  const newest = newestClosed(job.slices, now)
  return newest ? [newest] : []
}

/** Works out the plan of a document, whether saved or not, without changing anything. */
export async function workOutPlan(
  engine: Engine,
  job: Job,
  ask: Omit<PlanAsk, 'job' | 'by'>,
): Promise<{ plan: Plan; facts: Facts }> {
  const now = ask.now ?? new Date().toISOString()
  const environment = await readEnvironment(engine, ask.environment)
  const request: PlanRequest = {
    job,
    environment,
    parameters: ask.parameters,
    only: ask.only,
    slices: slicesFor(job, ask.span, now),
    now,
  }
  const expansion = expand(request, await controlTables(engine, job, ask.environment))
  return await judgeExpansion(engine, expansion)
}

/** Finds out what the rules need to know, and judges. */
export async function judgeExpansion(
  engine: Engine,
  expansion: Expansion,
): Promise<{ plan: Plan; facts: Facts }> {
  const facts = await gatherFacts(engine, expansion)
  return { plan: judge(expansion, facts), facts }
}

/** Plans the newest version of a job and keeps the plan. */
export async function makePlan(
  engine: Engine,
  ask: PlanAsk,
): Promise<{ id: number; plan: Plan; version: JobVersion }> {
  const version = await readVersion(engine, ask.job)
  const { plan, facts } = await workOutPlan(engine, documentOf(version), ask)
  return { id: await storePlan(engine, plan, facts, version, ask), plan, version }
}

async function gatherFacts(engine: Engine, expansion: Expansion): Promise<Facts> {
  const environment = expansion.request.environment.name
  const connections = await connectionFacts(engine, environment)
  const files = await gatherFiles(engine, expansion, connections)
  const shapes = await gatherShapes(engine, expansion.request.job.name, environment)
  return {
    connections,
    files,
    shapes,
    sources: shapes.size > 0 ? await gatherSources(engine, expansion, connections) : new Map(),
    loaded: await gatherLoaded(engine, environment, files),
    history: await gatherHistory(engine, expansion.request.job.name, environment),
  }
}

async function gatherFiles(
  engine: Engine,
  expansion: Expansion,
  connections: Facts['connections'],
): Promise<Map<string, FileFact[]>> {
  const found = new Map<string, FileFact[]>()
  const specs = new Map<string, Transfer['from']>()
  for (const { store, files, spec } of transfersOf(expansion))
    if (store && files) specs.set(fileKey(store, files.pattern), spec.from)
  const byStore = groupBy(wantedFiles(expansion), ({ store }) => store)
  for (const [name, wanted] of byStore) {
    const known = Object.hasOwn(connections, name) ? connections[name] : undefined
    if (!known?.configured || known.kind !== 'files') continue
    const store = await openStore(engine, name, expansion.request.environment.name)
    const lister = new Lister(store)
    // a few at a time: the disk has no use for ten thousand questions at once
    await inBatches(wanted, 32, async ({ pattern }) => {
      const key = fileKey(name, pattern)
      const facts = await lister.find(pattern)
      found.set(
        key,
        await Promise.all(
          facts.map(async (fact, i) => {
            const header = i === 0 ? await headerOf(store, fact, specs.get(key)!) : undefined
            return header ? { ...fact, header } : fact
          }),
        ),
      )
    })
  }
  return found
}

/** The columns that each step of a job found when it last loaded a row. */
async function gatherShapes(
  engine: Engine,
  job: string,
  environment: string,
): Promise<Map<string, readonly SourceColumn[]>> {
  const rows = await engine.db
    .select({ step: readShape.step, row: readShape.rowKey, columns: readShape.columns })
    .from(readShape)
    .where(and(eq(readShape.job, job), eq(readShape.environment, environment)))
  return new Map(rows.map(({ step, row, columns }) => [shapeKey(step, row), columns]))
}

/** The columns of the tables that a plan reads now, one question for each connection. */
async function gatherSources(
  engine: Engine,
  expansion: Expansion,
  connections: Facts['connections'],
): Promise<Map<string, readonly SourceColumn[]>> {
  const wanted = new Map<string, Set<string>>()
  for (const { sourceConnection: name, sourceTable: table } of transfersOf(expansion)) {
    const known = name !== undefined && Object.hasOwn(connections, name) ? connections[name] : undefined
    if (name === undefined || table === undefined || !known?.configured || known.kind !== 'postgres') continue
    wanted.set(name, (wanted.get(name) ?? new Set()).add(table))
  }
  const sources = new Map<string, readonly SourceColumn[]>()
  for (const [name, tables] of wanted) {
    const pool = await openPostgres(engine, name, expansion.request.environment.name)
    // a database that does not answer is told by the load; the plan says what it can
    const found = await columnsOfTables(pool, [...tables]).catch(() => new Map<string, SourceColumn[]>())
    for (const [table, columns] of found) sources.set(sourceKey(name, table), columns)
  }
  return sources
}

async function inBatches<T>(
  items: readonly T[],
  width: number,
  work: (item: T) => Promise<void>,
): Promise<void> {
  let next = 0
  const runner = async () => {
    while (next < items.length) await work(items[next++]!)
  }
  await Promise.all(Array.from({ length: Math.min(width, items.length) }, runner))
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
async function gatherHistory(
  engine: Engine,
  job: string,
  environment: string,
): Promise<Map<string, number[]>> {
  const { rows } = await engine.db.$client.query<{ row_key: string | null; seconds: number }>(
    `select l.row_key, extract(epoch from l.ended_at - l.started_at)::float8 as seconds
     from mattock.load l join (select id from mattock.run where job = $1 and environment = $2 order by created_at desc limit 100) r on r.id = l.run_id
     where l.state = 'done' and l.each order by l.id desc limit 2000`,
    [job, environment],
  )
  const history = new Map<string, number[]>()
  for (const [key, group] of groupBy(rows, ({ row_key }) => row_key ?? undefined))
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

/** A part of a plan as it is kept: without the roster's rows, which are in the loads. */
export function storedParts(plan: Plan): StoredPart[] {
  return plan.parts.map((part) => ({
    index: part.index,
    steps: part.steps,
    atOnce: part.atOnce,
    each: part.roster !== undefined,
    columns: part.roster?.columns ?? [],
    rows: part.roster?.rows.length ?? 0,
    slices: part.slices?.length ?? 0,
    differing: differing(plan, part.index),
  }))
}

async function storePlan(
  engine: Engine,
  plan: Plan,
  facts: Facts,
  version: JobVersion,
  ask: PlanAsk,
): Promise<number> {
  const codes = new Map<number, Set<string>>()
  for (const { code, loads } of plan.findings) {
    for (const number of loads) {
      const set = codes.get(number)
      if (set) set.add(code)
      else codes.set(number, new Set([code]))
    }
  }
  const connections = new Map<number, Set<string>>()
  for (const { number, name } of connectionsOf(plan)) {
    const set = connections.get(number)
    if (set) set.add(name)
    else connections.set(number, new Set([name]))
  }
  const files = new Map<number, { names: string[]; bytes: number }>()
  for (const { number, store, files: wanted } of transfersOf(plan)) {
    const found = store && wanted ? facts.files.get(fileKey(store, wanted.pattern)) : undefined
    if (found)
      files.set(number, {
        names: found.map(({ path }) => path),
        bytes: found.reduce((sum, { size }) => sum + size, 0),
      })
  }
  return await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ id: number }>(
      `insert into mattock.plan (job, version_id, environment, by, parameters, "only", span, parts, findings, forecast, loads)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) returning id`,
      [
        ask.job,
        version.id,
        ask.environment,
        ask.by,
        JSON.stringify(plan.parameters),
        ask.only ?? null,
        ask.span ?? null,
        JSON.stringify(storedParts(plan)),
        JSON.stringify(plan.findings),
        JSON.stringify(plan.forecast),
        plan.loads.length,
      ],
    )
    const id = rows[0]!.id
    const batch = 2000
    for (let start = 0; start < plan.loads.length; start += batch) {
      const records = plan.loads.slice(start, start + batch).map((load, i) => {
        const number = start + i
        const part = plan.parts[load.part]!
        const row = load.row >= 0 ? part.roster!.rows[load.row]! : undefined
        const slice = load.slice >= 0 ? part.slices![load.slice]! : undefined
        return {
          plan_id: id,
          number,
          part: load.part,
          key: load.key,
          row_key: row?.key ?? null,
          row: row?.row ?? null,
          slice_from: slice?.from ?? null,
          slice_to: slice?.to ?? null,
          slice_label: slice?.label ?? null,
          resolved: load.resolved,
          connections: [...(connections.get(number) ?? [])],
          files: files.get(number) ?? null,
          codes: [...(codes.get(number) ?? [])],
          left: false,
        }
      })
      await client.query(
        'insert into mattock.plan_load select * from jsonb_populate_recordset(null::mattock.plan_load, $1::jsonb)',
        [JSON.stringify(records)],
      )
    }
    // plans that no run came of are kept for a week
    await client.query(
      `delete from mattock.plan p where created_at < now() - interval '7 days' and not exists (select 1 from mattock.run r where r.plan_id = p.id)`,
    )
    return id
  })
}

/** Leaves loads out of a plan, or takes them in again. */
export async function leaveOut(
  engine: Engine,
  planId: number,
  numbers: readonly number[],
  left: boolean,
): Promise<void> {
  await engine.db.execute(
    sql`update mattock.plan_load set "left" = ${left} where plan_id = ${planId} and number = any (${sql.param(numbers)}::int[])`,
  )
}
