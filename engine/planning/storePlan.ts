import { once } from 'node:events'
import { from as copyFrom } from 'pg-copy-streams'
import type pg from 'pg'
import { differing } from '../../core/plan/differing'
import type { Facts, Plan, PlannedLoad, PlanPart, PlanPick } from '../../core/plan/types'
import { fileWantsOf } from '../../core/plan/fileWants'
import { connectionNames } from '../../core/plan/view'
import type { PlanMark, StoredPart } from '../../database/schema'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { keep, pick } from './keptTexts'

export interface PlanHead {
  readonly job: string
  readonly versionId: number
  readonly environment: string
  readonly by: string
  readonly only: string | undefined
  readonly span: string | undefined
  readonly picks: readonly PlanPick[] | undefined
  /** Numbers of the loads that it has and the rest of which is left out; all where it is left out. */
  readonly taken?: ReadonlySet<number> | undefined
}

/** A part of a plan as it is kept: without its rows and slices, which are tables of their own. */
export function storedParts(plan: Plan): StoredPart[] {
  const first = new Map<number, PlannedLoad>()
  for (const load of plan.loads) if (!first.has(load.part)) first.set(load.part, load)
  return plan.parts.map((part) => ({
    index: part.index,
    steps: part.steps,
    atOnce: part.atOnce,
    waits: part.waits,
    each: part.roster !== undefined,
    columns: part.roster?.columns ?? [],
    rows: part.roster?.rows.length ?? 0,
    slices: part.slices?.length ?? 0,
    varies: part.varies,
    same: (first.get(part.index)?.resolved ?? []).filter((_, i) => part.varies[i] === 'same'),
    differing: differing(plan, part.index),
  }))
}

/** Loads up to which a plan is written by one statement; more are copied. */
const fewLoads = 500

/** The values of a line of a table. */
type Line = readonly (string | number | null)[]

/** A table of a plan, its columns with their types, and the lines of a plan in it. */
interface Into {
  readonly table: string
  readonly columns: readonly (readonly [name: string, type: string])[]
  readonly lines: Iterable<Line>
}

/**
 * Keeps a plan: what varies with the row alone once a row, with the slice alone once a slice, so that 300,000 loads
 * are as many narrow rows. All of it or nothing.
 */
export async function storePlan(engine: Engine, plan: Plan, facts: Facts, head: PlanHead): Promise<number> {
  const marks = marksOf(plan)
  const files = filesOf(plan, facts)
  const own = ['job', 'version_id', 'environment', 'by', 'parameters', '"only"', 'span', 'parts', 'findings', 'forecast', 'loads', 'marks', 'picks']
  const values = [
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
    head.picks ? JSON.stringify(head.picks) : null,
  ]
  const insert = `insert into mattock.plan (${own.join(', ')}) values (${own.map((_, i) => `$${i + 1}`).join(', ')}) returning id`
  const tables: readonly Into[] = [
    { table: 'plan_row', columns: [['part', 'integer'], ['"row"', 'integer'], ['key', 'text'], ['cells', 'jsonb'], ['resolved', 'jsonb']], lines: rowLines(plan) },
    { table: 'plan_slice', columns: [['part', 'integer'], ['slice', 'integer'], ['"from"', 'timestamptz'], ['"to"', 'timestamptz'], ['label', 'text'], ['resolved', 'jsonb']], lines: sliceLines(plan) },
    { table: 'planned_load', columns: [['number', 'integer'], ['part', 'integer'], ['"row"', 'integer'], ['slice', 'integer'], ['title', 'text'], ['resolved', 'jsonb'], ['files', 'jsonb'], ['mark', 'integer'], ['"left"', 'boolean']], lines: loadLines(plan, files, marks.of, head.taken) },
  ]
  if (plan.loads.length <= fewLoads) return await writeAtOnce(engine, insert, values, tables)
  return await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ id: number }>(insert, values)
    const { id } = rows[0]!
    for (const into of tables) await copy(client, into, id)
    return id
  })
} // prettier-ignore

/** Writes a plan of few loads by one statement: starts of many jobs at once are as quick as their questions are few. */
async function writeAtOnce(engine: Engine, insert: string, given: readonly unknown[], tables: readonly Into[]): Promise<number> {
  const values: unknown[] = [...given]
  const filled: string[] = []
  const parts = tables.flatMap(({ table, columns, lines }) => {
    const all = [...lines]
    if (all.length === 0) return []
    filled.push(table)
    const arrays = columns.map(([, type], at) => `$${values.push(all.map((line) => line[at] ?? null))}::${type}[]`)
    return `${table} as (insert into mattock.${table} (plan_id, ${columns.map(([name]) => name).join(', ')}) select made.id, u.* from made, unnest(${arrays.join(', ')}) u)`
  })
  const text = `with made as (${insert}), ${[...parts, 'done as (select id from made)'].join(', ')} select id from done`
  const { rows } = await engine.db.$client.query<{ id: number }>({ name: `write a plan: ${filled.join()}`, text, values })
  return rows[0]!.id
} // prettier-ignore

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

const line = (id: number, values: Line): string => `${id}\t${values.map(field).join('\t')}\n`

async function copy(client: pg.ClientBase, { table, columns, lines }: Into, id: number): Promise<void> {
  let opened: { stream: ReturnType<typeof copyFrom>; done: Promise<unknown> } | undefined
  // nothing is asked of the store where there is nothing to write
  const open = () => {
    const names = ['plan_id', ...columns.map(([name]) => name)].join(', ')
    const stream = client.query(copyFrom(`copy mattock.${table} (${names}) from stdin`))
    const done = once(stream, 'finish')
    done.catch(() => {})
    return { stream, done }
  }
  let text = ''
  for (const values of lines) {
    text += line(id, values)
    if (text.length < 65_536) continue
    const { stream, done } = (opened ??= open())
    if (!stream.write(text)) await Promise.race([once(stream, 'drain'), done])
    text = ''
  }
  if (text === '' && !opened) return
  const { stream, done } = (opened ??= open())
  stream.end(text)
  await done
}

/** The resolved texts of the first load of each row, or of each slice, of a part. */
function* rowLines(plan: Plan): Generator<Line> {
  for (const { part, at, load } of firstOf(plan, 'row')) {
    const { key, row } = part.roster!.rows[at]!
    const own = pick(load.resolved, part.varies, 'row')
    yield [part.index, at, key, JSON.stringify(row), JSON.stringify(own)]
  }
}

function* sliceLines(plan: Plan): Generator<Line> {
  for (const { part, at, load } of firstOf(plan, 'slice')) {
    const { from, to, label } = part.slices![at]!
    const own = pick(load.resolved, part.varies, 'slice')
    yield [part.index, at, from, to, label, JSON.stringify(own)]
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

function* loadLines(plan: Plan, files: readonly (string | undefined)[], marks: Uint32Array, taken: ReadonlySet<number> | undefined): Generator<Line> {
  const places = plan.parts.map(({ varies }) => varies.flatMap((by, i) => (by === 'both' ? [i] : [])))
  for (let number = 0; number < plan.loads.length; number++) {
    const load = plan.loads[number]!
    const own = places[load.part]!.map((i) => keep(load.resolved[i] ?? null))
    yield [
      number,
      load.part,
      load.row < 0 ? null : load.row,
      load.slice < 0 ? null : load.slice,
      load.row < 0 ? load.key : null,
      own.length === 0 ? null : JSON.stringify(own),
      files[number] ?? null,
      marks[number]!,
      taken && !taken.has(number) ? 'true' : 'false',
    ]
  }
} // prettier-ignore

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
  for (const { number, key } of fileWantsOf(plan)) {
    const found = facts.files.get(key)
    // the first step that names files says what the load is about
    if (found)
      files[number] ??=
        found.length === 0 ? '[]' : JSON.stringify(found.map(({ path, size }) => [path, size]))
  }
  return files
}
