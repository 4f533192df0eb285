import { join } from 'node:path'
import { temporaryRoot } from '../context/temporary'
import { and, eq, sql } from 'drizzle-orm'
import type pg from 'pg'
import { fail } from '../../core/fault'
import { compareSchemas, isSame, type SchemaChange } from '../../core/catalog/compare'
import type { FoundDataset, Stray } from '../../core/catalog/found'
import { inScope } from '../../core/catalog/scope'
import {
  dataset,
  fileShape,
  survey,
  surveyProposal,
  type SurveyProgress,
  type SurveyScope,
} from '../../database/catalog'
import { openConnection } from '../connectors/connections'
import { connectorFor } from '../connectors'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { acceptProposals, noteSame } from './accept'
import { type ReadFile } from './shapes'
import { reasonOf } from './reason'

export interface SurveyAsk {
  readonly connection: string
  readonly environment: string
  readonly scope: SurveyScope
  readonly by: string
  /** What it finds is taken over by the datasets' rules; new datasets are taken in. */
  readonly unattended?: boolean
  /** The load and its step that begin it. */
  readonly calledBy?: { readonly load: number; readonly step: string }
}

/** Puts a survey on the queue. @throws FaultError where one of the same connection is under way */
export async function startSurvey(engine: Engine, ask: SurveyAsk): Promise<number> {
  await openConnection(engine, ask.connection, ask.environment)
  return await transaction(engine.db.$client, async (client) => {
    await oneAtATime(client, ask)
    const { rows } = await client.query<{ id: number }>(
      // the transaction may have begun while another survey was still under way
      `insert into mattock.survey (environment, connection, scope, by, unattended, called_by_load, called_by_step, created_at)
       values ($1, $2, $3, $4, $5, $6, $7, clock_timestamp()) returning id`,
      [
        ask.environment, ask.connection, JSON.stringify(ask.scope), ask.by, ask.unattended ?? false,
        ask.calledBy?.load ?? null, ask.calledBy?.step ?? null,
      ], // prettier-ignore
    )
    const { id } = rows[0]!
    await enqueue(client, id)
    return id
  })
}

/** Two who begin at the same moment wait for each other here. @throws FaultError where one is under way */
async function oneAtATime(
  client: pg.PoolClient,
  { environment, connection }: Pick<SurveyAsk, 'environment' | 'connection'>,
): Promise<void> {
  await client.query(`select pg_advisory_xact_lock(hashtextextended($1, 0))`, [
    `mattock survey ${environment} ${connection}`,
  ])
  const { rowCount } = await client.query(
    `select 1 from mattock.survey
     where environment = $1 and connection = $2 and state in ('waiting', 'running') limit 1`,
    [environment, connection],
  )
  if (rowCount) fail('conflict', `a survey of ${connection} is under way already`, { connection })
}

async function enqueue(client: Pick<pg.PoolClient, 'query'>, id: number): Promise<void> {
  await client.query(
    `select graphile_worker.add_job('survey', json_build_object('survey', $1::int), job_key := 'survey:' || $1::int, max_attempts := 1,
         flags := (select nullif(c.needs, '{}') from mattock.survey s join mattock.connection c on c.name = s.connection where s.id = $1))`,
    [id],
  )
}

/** Breaks a survey off; what it has read is kept. @throws FaultError where it is not under way */
export async function stopSurvey(engine: Engine, id: number): Promise<void> {
  const { rowCount } = await engine.db.$client.query(
    `update mattock.survey set stopping = true,
       state = case when state = 'waiting' then 'stopped' else state end,
       ended_at = case when state = 'waiting' then clock_timestamp() end
     where id = $1 and state in ('waiting', 'running')`,
    [id],
  )
  if (!rowCount) fail('not-running', `survey ${id} is not under way`)
}

/** Goes on with a survey that was stopped or failed, from where it was. @throws FaultError where it is neither */
export async function resumeSurvey(engine: Engine, id: number): Promise<void> {
  await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ environment: string; connection: string }>(
      `select environment, connection from mattock.survey where id = $1 and state in ('stopped', 'failed')`,
      [id],
    )
    if (rows[0]) await oneAtATime(client, rows[0])
    const { rowCount } = await client.query(
      `update mattock.survey set state = 'waiting', stopping = false, ended_at = null, fault = null, attempt = 0
       where id = $1 and state in ('stopped', 'failed')`,
      [id],
    )
    if (!rowCount) fail('not-running', `survey ${id} is neither stopped nor failed`)
    await enqueue(client, id)
  })
}

/** Why a worker that is about to end breaks its surveys off: another goes on with them. */
export const handOver = 'the worker ends'

interface Found {
  readonly dataset: FoundDataset
  readonly paths: readonly string[]
}

/** Does a survey that a worker took off the queue. Never throws for what the survey itself meets. */
export async function runSurvey(
  engine: Engine,
  worker: number,
  id: number,
  signal: AbortSignal,
): Promise<void> {
  const [taken] = await engine.db
    .update(survey)
    .set({
      state: 'running',
      worker,
      attempt: sql`${survey.attempt} + 1`,
      startedAt: sql`coalesce(${survey.startedAt}, clock_timestamp())`,
    })
    .where(and(eq(survey.id, id), eq(survey.state, 'waiting')))
    .returning()
  if (!taken) return
  // ended only by the worker that has it: one that was taken for dead says no more
  const mine = and(eq(survey.id, id), eq(survey.worker, worker), eq(survey.state, 'running'))
  try {
    const { found, strays } = await look(engine, taken, signal)
    const same = await propose(engine, taken, found, strays)
    if (taken.unattended) await acceptProposals(engine, id, undefined, taken.by, true)
    await engine.db
      .update(survey)
      .set({ state: 'done', strays, same, endedAt: sql`clock_timestamp()` })
      .where(mine)
  } catch (error) {
    if (signal.aborted && signal.reason === handOver) {
      await engine.db.update(survey).set({ state: 'waiting', worker: null }).where(mine)
      return await enqueue(engine.db.$client, id)
    }
    await engine.db
      .update(survey)
      .set({
        state: signal.aborted ? 'stopped' : 'failed',
        endedAt: sql`clock_timestamp()`,
        fault: signal.aborted ? null : reasonOf(error),
      })
      .where(mine)
  }
}

type Taken = typeof survey.$inferSelect

async function look(
  engine: Engine,
  taken: Taken,
  signal: AbortSignal,
): Promise<{ found: Found[]; strays: Stray[] }> {
  const opened = await openConnection(engine, taken.connection, taken.environment)
  return await connectorFor(opened).survey(opened, {
    scope: taken.scope,
    folder: join(temporaryRoot(), `survey-${taken.id}`),
    signal,
    progress: progressWriter(engine, taken.id),
    memory: () => readMemory(engine, taken),
  })
}

/** Writes progress down at most twice a second, and always the last of it. */
function progressWriter(engine: Engine, id: number): (now: SurveyProgress) => Promise<void> {
  let written = 0
  return async (now) => {
    if (now.seen < now.total && performance.now() - written < 500) return
    written = performance.now()
    await engine.db.update(survey).set({ progress: now }).where(eq(survey.id, id))
  }
}

async function readMemory(engine: Engine, { environment, connection }: Taken) {
  const rows = await engine.db
    .select()
    .from(fileShape)
    .where(and(eq(fileShape.environment, environment), eq(fileShape.connection, connection)))
  const known = await engine.db
    .select({ locator: dataset.locator, columns: dataset.columns })
    .from(dataset)
    .where(and(eq(dataset.environment, environment), eq(dataset.connection, connection)))
  return {
    shapes: new Map<string, ReadFile>(
      rows.map(({ path, size, modified, tables, fault }) => [
        path,
        { file: { path, size, modified }, tables, fault },
      ]),
    ),
    known: new Map(known.map(({ locator, columns }) => [locator, columns])),
    save: async (read: readonly ReadFile[]) => {
      await engine.db.$client.query(
        `insert into mattock.file_shape (environment, connection, path, size, modified, tables, fault)
         select $1, $2, f ->> 'path', (f ->> 'size')::bigint, f ->> 'modified', f -> 'tables', f ->> 'fault' from jsonb_array_elements($3::jsonb) f
         on conflict (environment, connection, path) do update set size = excluded.size, modified = excluded.modified, tables = excluded.tables, fault = excluded.fault`,
        [
          environment,
          connection,
          JSON.stringify(read.map(({ file, tables, fault }) => ({ ...file, tables, fault }))),
        ],
      )
    },
  }
}

type Known = typeof dataset.$inferSelect

/**
 * Holds what was found against what is known, and keeps what would change as proposals. Facts that are no schema (rows,
 * bytes, files) of datasets that are as they were are written down at once. Returns how many are as they were.
 */
async function propose(
  engine: Engine,
  taken: Taken,
  found: readonly Found[],
  strays: readonly Stray[],
): Promise<number> {
  const known = await engine.db
    .select()
    .from(dataset)
    .where(and(eq(dataset.environment, taken.environment), eq(dataset.connection, taken.connection)))
  const matched = await match(engine, taken, known, found)
  const same: { known: Known; found: Found }[] = []
  const proposals: Omit<typeof surveyProposal.$inferInsert, 'surveyId' | 'number'>[] = []
  for (const entry of found) {
    const before = matched.get(entry)
    if (!before) proposals.push({ kind: 'new', found: entry.dataset, paths: [...entry.paths] })
    else {
      const change = compareSchemas(before.columns, entry.dataset.columns)
      if (isSame(change) && before.goneAt === null) same.push({ known: before, found: entry })
      else
        proposals.push({
          kind: 'changed',
          datasetId: before.id,
          found: entry.dataset,
          change,
          paths: [...entry.paths],
        })
    }
  }
  const seen = new Set([...matched.values()].map(({ id }) => id))
  const unreadable = await datasetsOf(engine, taken, strays)
  for (const before of known) {
    const place = before.locator.split('#')[0]!
    if (
      seen.has(before.id) ||
      unreadable.has(before.id) ||
      before.goneAt !== null ||
      !inScope(place, taken.scope.include, taken.scope.exclude)
    )
      continue
    proposals.push({ kind: 'gone', datasetId: before.id })
  }
  await engine.db.delete(surveyProposal).where(eq(surveyProposal.surveyId, taken.id))
  const rows = proposals.map((proposal, number) => ({ ...proposal, surveyId: taken.id, number }))
  for (let at = 0; at < rows.length; at += 500)
    await engine.db.insert(surveyProposal).values(rows.slice(at, at + 500))
  await noteSame(
    engine,
    same.map(({ known: before, found: { dataset: now, paths } }) => ({ id: before.id, found: now, paths })),
  )
  await noteWaiting(engine, proposals)
  return same.length
}

/** The known datasets that something which cannot be read is of: it is there, so that they are not gone. */
async function datasetsOf(
  engine: Engine,
  { environment, connection }: Taken,
  strays: readonly Stray[],
): Promise<Set<number>> {
  if (strays.length === 0) return new Set()
  const { rows } = await engine.db.$client.query<{ id: number }>(
    `select id from mattock.dataset where environment = $1 and connection = $2 and split_part(locator, '#', 1) = any ($3)
     union select unnest(datasets) from mattock.file_shape where environment = $1 and connection = $2 and path = any ($3)`,
    [environment, connection, strays.map(({ path }) => path)],
  )
  return new Set(rows.map(({ id }) => id))
}

/** Drift is known from the survey on, whether or not a person accepts it. */
async function noteWaiting(
  engine: Engine,
  proposals: readonly { datasetId?: number | null; change?: SchemaChange | null }[],
): Promise<void> {
  for (const { datasetId, change } of proposals)
    if (datasetId != null && change && !isSame(change))
      await engine.db.update(dataset).set({ waits: change }).where(eq(dataset.id, datasetId))
}

/** Which known dataset each found one is: the one of its place; for files whose names drifted, the one most of its files were in. */
async function match(
  engine: Engine,
  { environment, connection }: Taken,
  known: readonly Known[],
  found: readonly Found[],
): Promise<Map<Found, Known>> {
  const matched = new Map<Found, Known>()
  const byLocator = new Map(known.map((entry) => [entry.locator, entry]))
  const free = new Set(known)
  for (const entry of found) {
    const before = byLocator.get(entry.dataset.locator)
    if (!before) continue
    matched.set(entry, before)
    free.delete(before)
  }
  const open = found.filter((entry) => !matched.has(entry) && entry.paths.length > 0)
  if (open.length === 0 || free.size === 0) return matched
  const { rows } = await engine.db.$client.query<{ path: string; datasets: number[] }>(
    `select path, datasets from mattock.file_shape where environment = $1 and connection = $2 and datasets && $3`,
    [environment, connection, [...free].map(({ id }) => id)],
  )
  const homes = new Map(rows.map(({ path, datasets }) => [path, datasets]))
  for (const entry of open) {
    const votes = new Map<number, number>()
    for (const path of entry.paths)
      for (const id of homes.get(path) ?? []) votes.set(id, (votes.get(id) ?? 0) + 1)
    const [best] = [...votes].sort((a, b) => b[1] - a[1])
    const before =
      best &&
      [...free].find(({ id, format }) => id === best[0] && format?.inner === entry.dataset.format?.inner)
    if (!before) continue
    matched.set(entry, before)
    free.delete(before)
  }
  return matched
}
