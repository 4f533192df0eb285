import { once } from 'node:events'
import { eq, sql, type SQL } from 'drizzle-orm'
import { from as copyFrom } from 'pg-copy-streams'
import type pg from 'pg'
import type { Resolved, Slot } from '../../core/text/slot'
import { fail } from '../../core/fault'
import { differing } from '../../core/plan/differing'
import { type Facts, type Plan, type PlannedLoad, type PlanPart, type Varies } from '../../core/plan/types'
import { connectionNames, transfersOf } from '../../core/plan/view'
import type { Comparable } from '../../core/plan/compare'
import type { Slice } from '../../core/slice/slices'
import type { Row } from '../../core/value'
import { plan as planTable, type PlanMark, type StoredPart } from '../../database/schema'
import type { Engine } from '../context/engine'
import { instantText } from '../context/instant'
import { transaction } from '../context/transaction'

export type StoredPlan = typeof planTable.$inferSelect

export interface PlanHead {
  readonly job: string
  readonly versionId: number
  readonly environment: string
  readonly by: string
  readonly only: string | undefined
  readonly span: string | undefined
}

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
  return found ?? fail('unknown-name', `there is no plan ${id}; plans that were not run are kept for a week`)
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
  return found ?? fail('unknown-name', `there is no plan ${id}; plans that were not run are kept for a week`)
}

/** A text as it is kept: most are a plain text or a path that is its own pattern, and need no more than that. */
type Kept = string | Resolved | null

const keep = (resolved: Resolved | null): Kept =>
  resolved && (resolved.kind === 'text' || (resolved.kind === 'path' && resolved.pattern === resolved.text))
    ? resolved.text
    : resolved

const unkept = (kept: Kept, slot: Slot): Resolved | null =>
  typeof kept !== 'string'
    ? kept
    : slot.kind === 'path'
      ? { kind: 'path', text: kept, pattern: kept }
      : { kind: 'text', text: kept }

const pick = (resolved: readonly (Resolved | null)[], varies: readonly Varies[], by: Varies): Kept[] =>
  resolved.filter((_, i) => varies[i] === by).map(keep)

/** A part of a plan as it is kept: without its rows and slices, which are tables of their own. */
export function storedParts(plan: Plan): StoredPart[] {
  const first = new Map<number, PlannedLoad>()
  for (const load of plan.loads) if (!first.has(load.part)) first.set(load.part, load)
  return plan.parts.map((part) => ({
    index: part.index,
    steps: part.steps,
    atOnce: part.atOnce,
    each: part.roster !== undefined,
    columns: part.roster?.columns ?? [],
    rows: part.roster?.rows.length ?? 0,
    slices: part.slices?.length ?? 0,
    varies: part.varies,
    same: (first.get(part.index)?.resolved ?? []).filter((_, i) => part.varies[i] === 'same'),
    differing: differing(plan, part.index),
  }))
}

/**
 * Keeps a plan: what varies with the row alone once a row, with the slice alone once a slice, so that 300,000 loads
 * are as many narrow rows. All of it or nothing.
 */
export async function storePlan(engine: Engine, plan: Plan, facts: Facts, head: PlanHead): Promise<number> {
  const marks = marksOf(plan)
  const files = filesOf(plan, facts)
  return await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ id: number }>(
      `insert into mattock.plan (job, version_id, environment, by, parameters, "only", span, parts, findings, forecast, loads, marks)
       values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) returning id`,
      [
        head.job,
        head.versionId,
        head.environment,
        head.by,
        JSON.stringify(plan.parameters),
        head.only ?? null,
        head.span ?? null,
        JSON.stringify(storedParts(plan)),
        JSON.stringify(plan.findings),
        JSON.stringify(plan.forecast),
        plan.loads.length,
        JSON.stringify(marks.marks),
      ],
    )
    const id = rows[0]!.id
    await copy(client, 'plan_row (plan_id, part, "row", key, cells, resolved)', rowLines(plan, id))
    await copy(
      client,
      'plan_slice (plan_id, part, slice, "from", "to", label, resolved)',
      sliceLines(plan, id),
    )
    await copy(
      client,
      'planned_load (plan_id, number, part, "row", slice, title, resolved, files, mark)',
      loadLines(plan, id, files, marks.of),
    )
    return id
  })
}

/** Deletes plans that no run came of, after a week. */
export async function forgetPlans(engine: Engine): Promise<void> {
  await engine.db.execute(
    sql`with old as (delete from mattock.plan p where created_at < now() - interval '7 days'
          and not exists (select 1 from mattock.run r where r.plan_id = p.id) returning id)
        delete from mattock.planned_load where plan_id in (select id from old)`,
  )
}

/** A value in the text format of COPY. */
const field = (value: string | number | null): string =>
  value === null
    ? '\\N'
    : typeof value === 'number'
      ? String(value)
      : value.replace(
          /[\\\t\n\r]/g,
          (char) => ({ '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' })[char]!,
        )

const line = (...values: (string | number | null)[]): string => `${values.map(field).join('\t')}\n`

async function copy(client: pg.ClientBase, into: string, lines: Iterable<string>): Promise<void> {
  const stream = client.query(copyFrom(`copy mattock.${into} from stdin`))
  const done = once(stream, 'finish')
  done.catch(() => {})
  let text = ''
  for (const one of lines) {
    text += one
    if (text.length < 65_536) continue
    if (!stream.write(text)) await Promise.race([once(stream, 'drain'), done])
    text = ''
  }
  stream.end(text)
  await done
}

/** The resolved texts of the first load of each row, or of each slice, of a part. */
function* rowLines(plan: Plan, id: number): Generator<string> {
  for (const { part, at, load } of firstOf(plan, 'row')) {
    const { key, row } = part.roster!.rows[at]!
    const own = pick(load.resolved, part.varies, 'row')
    yield line(id, part.index, at, key, JSON.stringify(row), JSON.stringify(own))
  }
}

function* sliceLines(plan: Plan, id: number): Generator<string> {
  for (const { part, at, load } of firstOf(plan, 'slice')) {
    const { from, to, label } = part.slices![at]!
    const own = pick(load.resolved, part.varies, 'slice')
    yield line(id, part.index, at, from, to, label, JSON.stringify(own))
  }
}

function* firstOf(
  plan: Plan,
  by: 'row' | 'slice',
): Generator<{ part: PlanPart; at: number; load: PlannedLoad }> {
  const seen = plan.parts.map(() => new Set<number>())
  for (const load of plan.loads) {
    const at = load[by]
    if (at < 0 || seen[load.part]!.has(at)) continue
    seen[load.part]!.add(at)
    yield { part: plan.parts[load.part]!, at, load }
  }
}

function* loadLines(
  plan: Plan,
  id: number,
  files: readonly (string | undefined)[],
  marks: Uint32Array,
): Generator<string> {
  const places = plan.parts.map(({ varies }) => varies.flatMap((by, i) => (by === 'both' ? [i] : [])))
  for (let number = 0; number < plan.loads.length; number++) {
    const load = plan.loads[number]!
    const own = places[load.part]!.map((i) => keep(load.resolved[i] ?? null))
    yield line(
      id,
      number,
      load.part,
      load.row < 0 ? null : load.row,
      load.slice < 0 ? null : load.slice,
      load.row < 0 ? load.key : null,
      own.length === 0 ? null : JSON.stringify(own),
      files[number] ?? null,
      marks[number]!,
    )
  }
}

/** The marks of a plan, and which of them each load has. */
function marksOf(plan: Plan): { marks: PlanMark[]; of: Uint32Array } {
  const names = connectionNames(plan)
  const codes = codesOf(plan)
  const marks: PlanMark[] = []
  const of = new Uint32Array(plan.loads.length)
  // loads share their lists, so that most are found without looking at what is in them
  const byLists = new Map<readonly string[], Map<string, number>>()
  const byText = new Map<string, number>()
  for (let i = 0; i < of.length; i++) {
    const own = names[i]!
    const found = codes[i] ?? ''
    let known = byLists.get(own)
    if (!known) byLists.set(own, (known = new Map()))
    let mark = known.get(found)
    if (mark === undefined) {
      const text = JSON.stringify([own, found])
      mark = byText.get(text)
      if (mark === undefined) {
        mark = marks.push({ connections: own, codes: found === '' ? [] : found.split(' ') }) - 1
        byText.set(text, mark)
      }
      known.set(found, mark)
    }
    of[i] = mark
  }
  return { marks, of }
}

/** The codes of the findings about each load, a blank between them; those who have the same share one text. */
function codesOf(plan: Plan): (string | undefined)[] {
  const lists: (string | undefined)[] = new Array<string | undefined>(plan.loads.length)
  const longer = new Map<string, string>()
  for (const { code, loads } of plan.findings)
    for (const number of loads) {
      const before = lists[number] ?? ''
      const id = `${before} ${code}`
      let after = longer.get(id)
      if (after === undefined) longer.set(id, (after = before.split(' ').includes(code) ? before : id.trim()))
      lists[number] = after
    }
  return lists
}

function filesOf(plan: Plan, facts: Facts): (string | undefined)[] {
  const files: (string | undefined)[] = new Array<string | undefined>(plan.loads.length)
  for (const { number, fileKey } of transfersOf(plan)) {
    const found = fileKey === undefined ? undefined : facts.files.get(fileKey)
    if (found)
      files[number] = found.length === 0 ? '[]' : JSON.stringify(found.map(({ path, size }) => [path, size]))
  }
  return files
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

/** Loads of a plan that fit a condition over `l`, `r` and `s`, in their order. */
export async function readLoads(
  engine: Engine,
  plan: PlanParts,
  { where, offset = 0, limit }: { where?: SQL | undefined; offset?: number; limit?: number } = {},
): Promise<StoredLoad[]> {
  const { rows } = await engine.db.execute<LoadRecord>(
    sql`select l.number, l.part, l.title, l.resolved as own, l.files, l.mark, l."left", r.key, r.cells, r.resolved as by_row,
          s."from", s."to", s.label, s.resolved as by_slice
        from ${planLoadsSql} where l.plan_id = ${plan.id} ${where ? sql`and ${where}` : sql``}
        order by l.number offset ${offset} ${limit === undefined ? sql`` : sql`limit ${limit}`}`,
  )
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

const slotsIn = ({ steps }: Pick<StoredPart, 'steps'>): Slot[] => steps.flatMap(({ slots }) => slots)

/** What a load resolves to, put together from what varies with its row, its slice, with both, or not at all. */
function resolvedOf(
  part: Pick<StoredPart, 'varies' | 'same'>,
  slots: readonly Slot[],
  byRow: readonly Kept[],
  bySlice: readonly Kept[],
  own: readonly Kept[],
): (Resolved | null)[] {
  if (!part.varies) return own.map((kept, i) => unkept(kept, slots[i]!))
  const lists = { same: part.same ?? [], row: byRow, slice: bySlice, both: own }
  const at = { same: 0, row: 0, slice: 0, both: 0 }
  return part.varies.map((by, i) => unkept(lists[by][at[by]++] ?? null, slots[i]!))
}

/** @throws FaultError `unknown-name` */
export async function readLoad(engine: Engine, plan: PlanParts, number: number): Promise<StoredLoad> {
  const [found] = await readLoads(engine, plan, { where: sql`l.number = ${number}` })
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
  const parts = plan.parts.map(({ index, steps, atOnce, columns, each, varies }, i): PlanPart => {
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
      varies: varies ?? steps.flatMap(({ slots }) => slots.map((): Varies => 'both')),
      roster: each ? { columns, key: [], rows: own, total: own.length, notOne: [] } : undefined,
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
