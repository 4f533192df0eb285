import { eq, sql, type SQL } from 'drizzle-orm'
import { PgDialect } from 'drizzle-orm/pg-core'
import type pg from 'pg'
import type { Resolved } from '../../core/text/slot'
import { fail } from '../../core/fault'
import type { PlanPart, Varies } from '../../core/plan/types'
import type { Comparable } from '../../core/plan/compare'
import type { Slice } from '../../core/slice/slices'
import type { Row } from '../../core/value'
import { plan as planTable, type PlanMark, type StoredPart } from '../../database/schema'
import type { Engine } from '../context/engine'
import { instantText } from '../context/instant'
import { resolvedOf, slotsIn, type Kept } from './keptTexts'

export type StoredPlan = typeof planTable.$inferSelect

/** A load of a stored plan with all it resolves to. */
export interface StoredLoad {
  readonly number: number
  readonly part: number
  readonly key: string
  readonly rowKey: string | null
  readonly row: Row | null
  readonly slice: Slice | null
  readonly resolved: readonly (Resolved | null)[]
  readonly files: { readonly names: string[]; readonly bytes: number } | null
  readonly codes: string[]
  readonly left: boolean
}

/** @throws FaultError `unknown-name` */
export async function readPlan(engine: Engine, id: number): Promise<StoredPlan> {
  const [found] = await engine.db.select().from(planTable).where(eq(planTable.id, id))
  return (
    found ?? fail('unknown-name', `there is no plan ${id}; plans that were not run are kept for a time only`)
  )
}

/** What reading a page of a plan's loads needs of it; the findings of a large plan name each of its loads. */
export async function readPlanParts(
  engine: Engine,
  id: number,
): Promise<Pick<StoredPlan, 'id' | 'parts' | 'loads' | 'marks'>> {
  const { id: number, parts, loads, marks } = planTable
  const [found] = await engine.db
    .select({ id: number, parts, loads, marks })
    .from(planTable)
    .where(eq(planTable.id, id))
  return (
    found ?? fail('unknown-name', `there is no plan ${id}; plans that were not run are kept for a time only`)
  )
}

/** Loads of stored plans with their rows and slices. */
export const planLoadsSql = sql.raw(
  `mattock.planned_load l
   left join mattock.plan_row r on r.plan_id = l.plan_id and r.part = l.part and r."row" = l."row"
   left join mattock.plan_slice s on s.plan_id = l.plan_id and s.part = l.part and s.slice = l.slice`,
)

export interface PlanParts {
  readonly id: number
  readonly parts: readonly StoredPart[]
  readonly marks: readonly PlanMark[]
}

interface LoadRecord extends Record<string, unknown> {
  number: number
  part: number
  title: string | null
  own: Kept[] | null
  files: [string, number][] | null
  mark: number
  left: boolean
  key: string | null
  cells: Row | null
  by_row: Kept[] | null
  from: string | null
  to: string | null
  label: string | null
  by_slice: Kept[] | null
}

const dialect = new PgDialect()

/** Loads of a plan that fit a condition over `l`, `r` and `s`, in their order; `name`: of a question that is asked often, always the same. */
export async function readLoads(
  engine: Engine,
  plan: PlanParts,
  {
    where,
    offset = 0,
    limit,
    name,
  }: { where?: SQL | undefined; offset?: number; limit?: number; name?: string } = {},
): Promise<StoredLoad[]> {
  const { sql: text, params: values } = dialect.sqlToQuery(
    sql`select l.number, l.part, l.title, l.resolved as own, l.files, l.mark, l."left", r.key, r.cells, r.resolved as by_row,
          s."from", s."to", s.label, s.resolved as by_slice
        from ${planLoadsSql} where l.plan_id = ${plan.id} ${where ? sql`and ${where}` : sql``}
        order by l.number offset ${offset} ${limit === undefined ? sql`` : sql`limit ${limit}`}`,
  )
  const { rows } = await engine.db.$client.query<LoadRecord>({
    ...(name === undefined ? {} : { name }),
    text,
    values,
  })
  return rows.map((row) => loadOf(row, plan.parts[row.part]!, plan.marks))
}

function loadOf(row: LoadRecord, part: StoredPart, marks: readonly PlanMark[]): StoredLoad {
  const slice =
    row.from === null
      ? null
      : { from: new Date(row.from).toISOString(), to: new Date(row.to!).toISOString(), label: row.label! }
  const name = row.key ?? row.title ?? ''
  return {
    number: row.number,
    part: row.part,
    key: slice ? `${name} · ${slice.label}` : name,
    rowKey: row.key,
    row: row.cells,
    slice,
    resolved: resolvedOf(part, slotsIn(part), row.by_row ?? [], row.by_slice ?? [], row.own ?? []),
    files: row.files && {
      names: row.files.map(([path]) => path),
      bytes: row.files.reduce((sum, [, bytes]) => sum + bytes, 0),
    },
    codes: [...(marks[row.mark]?.codes ?? [])],
    left: row.left,
  }
}

/** @throws FaultError `unknown-name` */
export async function readLoad(engine: Engine, plan: PlanParts, number: number): Promise<StoredLoad> {
  const [found] = await readLoads(engine, plan, {
    where: sql`l.number = ${number}`,
    name: 'a load of a plan',
  })
  return found ?? fail('unknown-name', `plan ${plan.id} has no load ${number}`)
}

/** All loads of a plan, a stretch at a time, so that no more than one is in memory. */
export async function* eachLoad(engine: Engine, plan: StoredPlan, where?: SQL): AsyncGenerator<StoredLoad> {
  const stretch = 5000
  for (let start = 0; start < plan.loads; start += stretch) {
    const within = sql`l.number >= ${start} and l.number < ${start + stretch}`
    yield* await readLoads(engine, plan, { where: where ? sql`${within} and ${where}` : within })
  }
}

/** A stored plan as planning gives it, without what it was asked with: for comparing, and for playing it through. */
export async function readComparable(engine: Engine, plan: StoredPlan): Promise<Comparable> {
  const { rows } = await engine.db.execute<{
    part: number
    row: number
    key: string
    cells: Row
    resolved: Kept[]
  }>(
    sql`select part, "row", key, cells, resolved from mattock.plan_row where plan_id = ${plan.id} order by part, "row"`,
  )
  const { rows: slices } = await engine.db.execute<{
    part: number
    slice: number
    from: string
    to: string
    label: string
    resolved: Kept[]
  }>(
    sql`select part, slice, "from", "to", label, resolved from mattock.plan_slice where plan_id = ${plan.id} order by part, slice`,
  )
  const { rows: loads } = await engine.db.$client.query<[number, number | null, number | null, string | null, Kept[] | null]>({
    text: `select part, "row", slice, title, resolved from mattock.planned_load where plan_id = $1 order by number`,
    values: [plan.id],
    rowMode: 'array',
  } as pg.QueryArrayConfig) // prettier-ignore
  const slotsOf = plan.parts.map(slotsIn)
  const rowsOf = plan.parts.map((): typeof rows => [])
  for (const row of rows) rowsOf[row.part]![row.row] = row
  const slicesOf = plan.parts.map((): typeof slices => [])
  for (const slice of slices) slicesOf[slice.part]![slice.slice] = slice
  const parts = plan.parts.map(({ index, steps, atOnce, waits, columns, each, varies }, i): PlanPart => {
    const own = Array.from(rowsOf[i]!, (row) => ({ key: row?.key ?? '', row: row?.cells ?? {} }))
    const spans = Array.from(slicesOf[i]!, (slice) => ({
      from: instantText(slice?.from ?? '1970-01-01'),
      to: instantText(slice?.to ?? '1970-01-01'),
      label: slice?.label ?? '',
    }))
    return {
      index,
      steps,
      atOnce,
      waits: waits ?? (i > 0 ? [i - 1] : []),
      varies: varies ?? steps.flatMap(({ slots }) => slots.map((): Varies => 'both')),
      roster: each ? { columns, key: [], rows: own, total: own.length, notOne: [], faults: [] } : undefined,
      slices: spans.length > 0 ? spans : undefined,
    }
  })
  return {
    parts,
    loads: loads.map(([part, row, slice, title, own]) => {
      const byRow = row === null ? undefined : rowsOf[part]![row]
      const bySlice = slice === null ? undefined : slicesOf[part]![slice]
      const name = byRow?.key ?? title ?? ''
      return {
        part,
        row: row ?? -1,
        slice: slice ?? -1,
        key: bySlice ? `${name} · ${bySlice.label}` : name,
        resolved: resolvedOf(
          plan.parts[part]!,
          slotsOf[part]!,
          byRow?.resolved ?? [],
          bySlice?.resolved ?? [],
          own ?? [],
        ),
      }
    }),
  }
}
