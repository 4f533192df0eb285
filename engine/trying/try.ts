import { stepWaits } from '../../core/job/order'
import { stepKind } from '../../core/job/steps'
import { inTurn } from '../../core/run/order'
import { activeSteps } from '../../core/job/document'
import { rm } from 'node:fs/promises'
import { join } from 'node:path'
import { and, asc, desc, eq, sql } from 'drizzle-orm'
import type pg from 'pg'
import { quoteName } from '../../core/text/slot'
import { fail } from '../../core/fault'
import { type Job } from '../../core/job/document'
import { parseJob } from '../../core/job/parse'
import { expand } from '../../core/plan/expand/expand'
import { givenParameters } from '../../core/plan/parameters'
import { gatherer } from '../../core/plan/gather'
import { textsOf } from '../../core/plan/texts'
import type { Expansion } from '../../core/plan/types'
import type { Row } from '../../core/value'
import { tryStep, tryTable, type TryAskRecord, type TryLoad } from '../../database/schema'
import { openPostgres } from '../connectors/connections'
import type { Engine } from '../context/engine'
import { DocumentError } from '../jobs/versions'
import { planRequest } from '../planning/plan'
import { gatherRosters } from '../planning/gather'
import { transaction } from '../context/transaction'

export interface TryAsk extends TryAskRecord {
  /** The document, saved or not. */
  readonly text: string
  readonly environment: string
  readonly by: string
}

/** Rows that one try takes at most. */
export const triedRows = 20
/** Hours after which what a try wrote aside is taken away. */
const keptHours = 24

type Try = typeof tryTable.$inferSelect

export const schemaOf = (id: number): string => `mattock_try_${id}`
export const folderOf = (engine: Engine, id: number): string => join(engine.dataFolder, 'tries', String(id))

/**
 * Values of a try: those given, else the try values, else the defaults. A try value is used nowhere else.
 */
export function tryParameters(job: Job, given: Row): Row {
  const tried = Object.fromEntries(
    Object.entries(job.parameters).flatMap(([name, { try: value }]) =>
      value === undefined ? [] : [[name, value]],
    ),
  )
  return { ...tried, ...given }
}

/**
 * Puts a try on the queue: the chosen rows of a part, the parts before it that run once, and those of the same rows.
 * @throws DocumentError where the document cannot be read; FaultError `try` where there is nothing to run or a text
 *   cannot be resolved
 */
export async function startTry(engine: Engine, ask: TryAsk): Promise<number> {
  const { job, faults } = parseJob(ask.text)
  if (!job) throw new DocumentError(faults)
  const part = job.parts[ask.part]
  if (!part) fail('unknown-name', `the job has no part ${ask.part + 1}`)
  if (part.each && ask.rows.length === 0) fail('try', 'choose a row to try')
  if (ask.rows.length > triedRows)
    fail('try', `a try takes ${triedRows} rows at most; plan and run the job for more`)
  const parameters = tryParameters(job, ask.parameters)
  const asked = await planRequest(engine, job, {
    environment: ask.environment,
    parameters,
    span: ask.slice || undefined,
  })
  const request = { ...asked, slices: asked.slices?.slice(0, 1) }
  const expansion = expand(request, await gatherRosters(engine, request))
  const loads = chosenLoads(expansion, ask)
  const units = unitsOf(job, loads, ask)
  if (units.length === 0)
    fail('try', 'there is no step to run: all of them are turned off, or after the last one')
  return await transaction(engine.db.$client, async (client) => {
    const made = await client.query<{ id: number }>(
      `insert into mattock.try (job, title, environment, document, ask, parameters, loads, aside, by)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9) returning id`,
      [
        job.name, job.title, ask.environment, ask.text,
        JSON.stringify({ part: ask.part, rows: ask.rows, slice: ask.slice, until: ask.until, holds: ask.holds, parameters: ask.parameters }),
        JSON.stringify(givenParameters(job, parameters, gatherer(job.name))), JSON.stringify(loads),
        JSON.stringify({ databases: [], tables: [], stores: [] }), ask.by,
      ], // prettier-ignore
    )
    await client.query(
      `insert into mattock.try_step (try_id, position, load, step, title, kind, hold)
       select $1, u.position, u.load, u.step, u.title, u.kind, u.hold
       from jsonb_to_recordset($2::jsonb) as u(position int, load int, step text, title text, kind text, hold boolean)`,
      [made.rows[0]!.id, JSON.stringify(units)],
    )
    await enqueue(client, made.rows[0]!.id)
    return made.rows[0]!.id
  })
}

/** The loads of a try, with every text resolved. */
function chosenLoads(expansion: Expansion, ask: TryAsk): TryLoad[] {
  const missing = ask.rows.filter(
    (key) => !expansion.parts[ask.part]!.roster?.rows.some((row) => row.key === key),
  )
  if (missing.length > 0)
    fail('unknown-name', `the roster has no row called "${missing[0]}"; it may have changed`)
  const kept = expansion.loads.flatMap((load, number) => {
    if (load.part > ask.part) return []
    const row = expansion.parts[load.part]!.roster?.rows[load.row]
    return row === undefined || ask.rows.includes(row.key) ? [{ load, number, row }] : []
  })
  return kept.map(({ load, number, row }) => {
    const part = expansion.parts[load.part]!
    const texts = textsOf(part, load).map(({ slot, resolved }) => {
      if (resolved) return { slot, resolved }
      const finding = expansion.findings.find(
        ({ loads, where }) => loads.includes(number) || (loads.length === 0 && where.step === slot.step),
      )
      const why = finding ? `: ${finding.message}` : ''
      return fail('try', `${slot.step}: ${slot.path} cannot be resolved for ${load.key}${why}`)
    })
    return {
      key: load.key,
      part: load.part,
      row: row?.row ?? null,
      types: Object.fromEntries(part.roster?.columns.map(({ name, type }) => [name, type]) ?? []),
      slice: part.slices?.[load.slice] ?? null,
      texts,
    }
  })
}

/** The steps to run, in order: load after load within a part, up to the last step that is wanted. */
function unitsOf(job: Job, loads: readonly TryLoad[], ask: TryAsk) {
  const last = job.parts.findIndex((part) => activeSteps(part).some(({ id }) => id === ask.until))
  const units: {
    position: number
    load: number
    step: string
    title: string
    kind: string
    hold: boolean
  }[] = []
  loads.forEach(({ part }, load) => {
    if (last >= 0 && part > last) return
    const steps = activeSteps(job.parts[part]!)
    for (const at of inTurn(stepWaits(job.parts[part]!))) {
      const step = steps[at]!
      units.push({
        position: units.length,
        load,
        step: step.id,
        title: step.title ?? step.id,
        kind: stepKind(step),
        hold: ask.holds.includes(step.id),
      })
      if (step.id === ask.until) break
    }
  })
  return units
}

async function enqueue(client: Pick<pg.PoolClient, 'query'>, id: number): Promise<void> {
  await client.query(
    `select graphile_worker.add_job('try', json_build_object('try', $1::int), job_key := 'try:' || $1::int, max_attempts := 1, priority := -10)`,
    [id],
  )
  await tellTry(client, id)
}

/** Lets the open pages know, at the end of the transaction where there is one. */
export async function tellTry(client: Pick<pg.PoolClient, 'query'>, id: number): Promise<void> {
  await client.query(`select pg_notify('mattock', json_build_object('try', $1::int)::text)`, [id])
}

export async function readTry(engine: Engine, id: number): Promise<Try> {
  const [found] = await engine.db.select().from(tryTable).where(eq(tryTable.id, id))
  return found ?? fail('unknown-name', `there is no try ${id}; tries are kept for a time only`)
}

/** All steps of a try, without the rows they showed. */
export async function trySteps(engine: Engine, id: number) {
  return await engine.db.select().from(tryStep).where(eq(tryStep.tryId, id)).orderBy(asc(tryStep.position))
}

/** The newest tries of a job. */
export async function triesOf(engine: Engine, job: string, limit: number): Promise<Try[]> {
  return await engine.db
    .select()
    .from(tryTable)
    .where(eq(tryTable.job, job))
    .orderBy(desc(tryTable.createdAt))
    .limit(limit)
}

/** Goes on after a hold. @throws FaultError where it is not held */
export async function goOn(engine: Engine, id: number): Promise<void> {
  await transaction(engine.db.$client, async (client) => {
    const { rowCount } = await client.query(
      `update mattock.try set state = 'waiting' where id = $1 and state = 'held'`,
      [id],
    )
    if (!rowCount) fail('not-held', `try ${id} is not held`)
    await enqueue(client, id)
  })
}

/** Ends a try where it is; the step at work is rolled back. @throws FaultError where it has ended */
export async function stopTry(engine: Engine, id: number): Promise<void> {
  const { rowCount } = await engine.db.$client.query(
    `update mattock.try set stopping = true,
       state = case when state = 'running' then state else 'stopped' end,
       ended_at = case when state = 'running' then ended_at else clock_timestamp() end
     where id = $1 and state in ('waiting', 'running', 'held')`,
    [id],
  )
  if (!rowCount) fail('not-running', `try ${id} has ended already`)
  await tellTry(engine.db.$client, id)
}

/** Takes away what a try wrote aside: its scratch schemas and its files. What it showed stays. */
export async function clearTry(engine: Engine, id: number): Promise<void> {
  const found = await readTry(engine, id)
  if (found.state === 'running' || found.state === 'waiting')
    fail('still-running', `try ${id} is still running; stop it first`)
  for (const { connection } of found.aside.databases) {
    const pool = await openPostgres(engine, connection, found.environment)
    await pool.query(`drop schema if exists ${quoteName(schemaOf(id))} cascade`)
  }
  await rm(folderOf(engine, id), { recursive: true, force: true })
  await engine.db
    .update(tryTable)
    .set({
      clearedAt: sql`clock_timestamp()`,
      ...(found.state === 'held' ? { state: 'stopped', endedAt: sql`clock_timestamp()` } : {}),
    })
    .where(and(eq(tryTable.id, id), sql`${tryTable.clearedAt} is null`))
  await tellTry(engine.db.$client, id)
}

/** Clears what has stood for a day. What cannot be reached is left for the next time. */
export async function clearTries(engine: Engine): Promise<number> {
  const { rows } = await engine.db.$client.query<{ id: number }>(
    `select id from mattock.try where cleared_at is null and state not in ('waiting', 'running')
       and coalesce(ended_at, created_at) < clock_timestamp() - make_interval(hours => $1) order by id limit 20`,
    [keptHours],
  )
  let cleared = 0
  for (const { id } of rows)
    await clearTry(engine, id).then(
      () => cleared++,
      (error: unknown) =>
        engine.log.warn({ error, try: id }, 'what a try wrote aside could not be taken away; tried again'),
    )
  return cleared
}
