import { inArray, sql } from 'drizzle-orm'
import { keyText } from '../../core/control/edits'
import { FaultError } from '../../core/fault'
import { groupBy } from '../../core/group'
import type { Job } from '../../core/job/document'
import { nestedRosters } from '../../core/job/rosters'
import type { Row } from '../../core/value'
import { jobVersion, plan as planTable } from '../../database/schema'
import type { Engine } from '../context/engine'
import { describeControl, findControl, poolOf } from '../control/rows'
import { readableJob } from '../jobs/versions'
import { readLoads } from '../planning/stored'

/** A row of a control table: its table, and its key as people read it. */
export interface ControlRow {
  readonly control: string
  readonly key: string
}

interface Placed {
  readonly id: number
  readonly number: number
  readonly part: number
  readonly environment: string
  readonly version: number
  readonly plan: number
}

/**
 * The rows of control tables that loads were planned for, outermost first, by the load; none of those whose table is gone or
 * cannot be asked now.
 */
export async function controlRows(
  engine: Engine,
  loads: readonly number[],
): Promise<Map<number, ControlRow[]>> {
  if (loads.length === 0) return new Map()
  const { rows: placed } = await engine.db.$client.query<Placed>(
    `select l.id, l.number, l.part, r.environment, r.version_id as version, r.plan_id as plan
     from mattock.load l join mattock.run r on r.id = l.run_id where l.id = any ($1)`,
    [loads],
  )
  const jobs = await readableJobs(engine, placed.map(({ version }) => version)) // prettier-ignore
  const planned = await plannedRows(engine, placed)
  const keys = new Map<string, Promise<readonly string[]>>()
  const keyOfTable = (control: string, environment: string) => {
    const id = JSON.stringify([control, environment])
    const known = keys.get(id) ?? readKey(engine, control, environment)
    keys.set(id, known)
    return known
  }
  const found = placed.map(async ({ id, number, part, environment, version, plan }) => {
    const roster = jobs.get(version)?.parts[part]?.each?.roster
    const row = planned.get(`${plan} ${number}`)
    const own: ControlRow[] = []
    if (roster && row)
      for (const { spec } of nestedRosters(roster)) {
        if (spec.control === undefined) continue
        const key = await keyOfTable(spec.control, environment)
        const values = key.map((column) => [column, row[(spec.prefix ?? '') + column] ?? null] as const)
        if (key.length > 0) own.push({ control: spec.control, key: keyText(Object.fromEntries(values)) })
      }
    return [id, own] as const
  })
  return new Map(await Promise.all(found))
}

async function readableJobs(engine: Engine, ids: readonly number[]): Promise<Map<number, Job | undefined>> {
  const versions = await engine.db.select({ id: jobVersion.id, text: jobVersion.text }).from(jobVersion).where(inArray(jobVersion.id, [...ids])) // prettier-ignore
  return new Map(versions.map((version) => [version.id, readableJob(version)]))
}

/** The row of each load, by its plan and number. */
async function plannedRows(engine: Engine, loads: readonly Placed[]): Promise<Map<string, Row>> {
  const byPlan = groupBy(loads, ({ plan }) => String(plan))
  const plans = await engine.db
    .select({ id: planTable.id, parts: planTable.parts, marks: planTable.marks })
    .from(planTable)
    .where(inArray(planTable.id, [...byPlan.keys()].map(Number)))
  const rows = new Map<string, Row>()
  for (const plan of plans) {
    const numbers = byPlan.get(String(plan.id))!.map(({ number }) => number)
    for (const { number, row } of await readLoads(engine, plan, {
      where: sql`l.number = any (${sql.param(numbers)})`,
    }))
      if (row) rows.set(`${plan.id} ${number}`, row)
  }
  return rows
}

/** Columns of a control table's key; none where it is gone or cannot be asked. */
async function readKey(engine: Engine, control: string, environment: string): Promise<readonly string[]> {
  try {
    const found = await findControl(engine, control)
    return (await describeControl(await poolOf(engine, found, environment), found)).key
  } catch (error) {
    // a database that is away is no reason not to tell of the load
    if (!(error instanceof FaultError) && !(error as { code?: string }).code) throw error
    return []
  }
}
