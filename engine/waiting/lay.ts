import { sql } from 'drizzle-orm'
import type pg from 'pg'
import { activeSteps, type Job } from '../../core/job/document'
import { stepDefinition, stepKind, stepOf } from '../../core/job/steps'
import { needsOf, waitsPerRow, waitText, type Need, type Wait, type WaitContext } from '../../core/job/waits'
import { plainText } from '../../core/text/slot'
import { textAt } from '../../core/plan/texts'
import type { SliceSpec } from '../../core/slice/spec'
import type { plan as planTable } from '../../database/schema'
import type { Engine } from '../context/engine'
import { readableJob, versionsIn } from '../jobs/versions'
import { eachLoad } from '../planning/stored'

type StoredPlan = typeof planTable.$inferSelect

/** What a load waits for, as it is kept. */
interface KeptNeed {
  readonly kind: Need['kind'] | 'run'
  readonly run_needed?: number
  readonly job?: string
  readonly row_key?: string | null
  readonly slice_from?: string
  readonly slice_to?: string
  readonly slice_label?: string
  readonly dataset?: string
  readonly after?: string
  readonly store?: string
  readonly pattern?: string
  readonly marker?: string | undefined
  readonly part?: number
  readonly step?: string
}

/** Files that a load reads, with the store they lie in. */
interface NamedFiles {
  readonly store: string
  readonly pattern: string
}

/** Loads that are written at a time, with what they wait for. */
const stretch = 2000

/** What the loads of a plan wait for, worked out before its run is made; undefined where none waits. */
export interface Waits {
  /** What the loads of a run wait for is kept, and they wait: in the transaction that makes the run. */
  lay(client: pg.ClientBase, run: number): Promise<void>
}

/**
 * Reads what the loads of a plan wait for: what their parts say, and the run that they follow, where there is one.
 * @throws FaultError `slices` where slices of another job cannot be cut
 */
export async function readWaits(
  engine: Engine,
  job: Job,
  plan: StoredPlan,
  follows: number | undefined,
): Promise<Waits | undefined> {
  const parts = job.parts.flatMap(({ each }, part) => {
    const waits = each?.slices && job.slices ? (each.waits ?? []) : []
    return waits.length > 0 || follows !== undefined ? [{ part, waits, atMost: each?.waits_at_most }] : []
  })
  if (parts.length === 0) return undefined
  const context = await waitContext(engine, job, plan.environment, parts.flatMap(({ waits }) => waits)) // prettier-ignore
  const files = new Map<number, NamedFiles[]>()
  const forFiles = parts.filter(({ waits }) => waits.some(({ files: of }) => of !== undefined)).map(({ part }) => part) // prettier-ignore
  if (forFiles.length > 0)
    for await (const load of eachLoad(engine, plan, sql`l.part = any (${sql.param(forFiles)}::integer[])`)) {
      const named = filesRead(job, plan, load.part, load)
      if (named.length > 0) files.set(load.number, named)
    }
  return {
    lay: (client, run) =>
      layWaits(client, { run, environment: plan.environment, parts, context, files, follows }),
  }
}

/** The files that the steps of a load read, as far as their names are known before it runs. */
function filesRead(job: Job, plan: StoredPlan, part: number, load: Parameters<typeof textAt>[1]): NamedFiles[] {
  return activeSteps(job.parts[part]!).flatMap((step) => {
    const kind = stepKind(step)
    const takes = stepDefinition(kind).takesFiles?.(stepOf(step).spec)
    const store = plainText(textAt(plan.parts[part]!, load, step.id, `${kind}.from.store`))
    const named = textAt(plan.parts[part]!, load, step.id, `${kind}.from.files`)
    return takes && store !== undefined && named?.kind === 'path' ? [{ store, pattern: named.pattern }] : []
  })
} // prettier-ignore

/** What is to be known of other jobs, as far as waits ask for it. */
async function waitContext(engine: Engine, job: Job, environment: string, waits: readonly Wait[]): Promise<WaitContext> {
  const others = new Map<string, Job>()
  const specs = new Map<string, SliceSpec | undefined>([[job.name, job.slices]])
  for (const version of await versionsIn(engine, environment)) {
    if (version.job === job.name) continue
    // one that cannot be read is waited for by nobody
    const other = readableJob(version)
    specs.set(version.job, other?.slices)
    if (other) others.set(version.job, other)
  }
  const datasets = [...new Set(waits.flatMap(({ dataset }) => dataset?.of ?? []))]
  const { rows } = await engine.db.$client.query<{ dataset: string; jobs: string[] }>(
    `select d.dataset, array(select distinct t.job from mattock.touch t
       where t.environment = $2 and t.connection = split_part(d.dataset, '.', 1) and t.locator = substr(d.dataset, strpos(d.dataset, '.') + 1)
         and t.direction = 'write' and t.at > mattock.clock() - interval '90 days' order by 1) as jobs
     from unnest($1::text[]) d(dataset)`,
    [datasets, environment],
  )
  const writers = new Map(rows.map(({ dataset, jobs }) => [dataset, jobs.filter((name) => specs.get(name) !== undefined)]))
  return { job: job.name, slicesOf: (name) => specs.get(name), partOf: (name, step) => partWith(others.get(name), step), writersOf: (dataset) => writers.get(dataset) ?? [] }
} // prettier-ignore

/** The place of the part of a job that goes through slices and has a step. */
function partWith(job: Job | undefined, step: string): number | undefined {
  const at = job?.parts.findIndex((part) => part.each?.slices && activeSteps(part).some(({ id }) => id === step)) ?? -1
  return at < 0 ? undefined : at
} // prettier-ignore

interface LoadRow {
  readonly id: string
  readonly number: number
  readonly row: string
  readonly from: string | null
  readonly to: string | null
  readonly label: string | null
}

interface Laying {
  readonly run: number
  readonly environment: string
  readonly parts: readonly {
    readonly part: number
    readonly waits: readonly Wait[]
    readonly atMost: string | undefined
  }[]
  readonly context: WaitContext
  /** By the load's number. */
  readonly files: ReadonlyMap<number, readonly NamedFiles[]>
  /** The run that all loads wait for. */
  readonly follows: number | undefined
}

async function layWaits(client: pg.ClientBase, laying: Laying): Promise<void> {
  for (const { part, waits, atMost } of laying.parts) {
    const { rows } = await client.query<LoadRow>(
      `select id, number, coalesce(row_key, '') as row, slice_from as "from", slice_to as "to", slice_label as label
       from mattock.load where run_id = $1 and part = $2 and state = 'waiting' order by number`,
      [laying.run, part],
    )
    const perRow = waits.some(waitsPerRow)
    const sets = new Map<string, { readonly loads: string[]; readonly needs: readonly KeptNeed[] }>()
    for (const load of rows) {
      const key = perRow ? load.id : `${load.from} ${load.to}`
      const known = sets.get(key)
      if (known) known.loads.push(load.id)
      else sets.set(key, { loads: [load.id], needs: needsOfLoad(load, waits, laying) })
    }
    const waiting = [...sets.values()].filter(({ needs }) => needs.length > 0)
    const words = [...(laying.follows === undefined ? [] : [`run ${laying.follows}`]), ...waits.map(waitText)].join('; ')
    for (let at = 0; at < waiting.length; at += stretch)
      await writeSets(client, { ...laying, part, words, atMost }, waiting.slice(at, at + stretch))
  }
} // prettier-ignore

function needsOfLoad({ number, row, from, to, label }: LoadRow, waits: readonly Wait[], { context, files, follows }: Laying): KeptNeed[] {
  const first: KeptNeed[] = follows === undefined ? [] : [{ kind: 'run', run_needed: follows }]
  if (from === null || to === null) return first
  const slice = { from: new Date(from).toISOString(), to: new Date(to).toISOString(), label: label ?? '' }
  return [...first, ...needsOf(waits, { row, slice }, context).flatMap((need) => kept(need, files.get(number) ?? []))]
} // prettier-ignore

/** A need as it is kept; the files of a load are one for each of its patterns. */
function kept(need: Need, files: readonly NamedFiles[]): KeptNeed[] {
  const kinds: { readonly [K in Need['kind']]: (need: Extract<Need, { kind: K }>) => KeptNeed[] } = {
    slice: ({ kind, job, row, from, to, label }) => [{ kind, job, row_key: row, slice_from: from, slice_to: to, slice_label: label }],
    refresh: ({ kind, dataset, since }) => [{ kind, dataset, after: since }],
    check: ({ kind, job, part, step, from, to, label }) => [{ kind, job, part, step, slice_from: from, slice_to: to, slice_label: label }],
    files: ({ kind, marker }) => files.map(({ store, pattern }) => ({ kind, store, pattern, marker })),
  }
  return kinds[need.kind](need as never)
} // prettier-ignore

/** Writes sets with their needs, and lets their loads wait, but for those whose needs are met already. */
async function writeSets(
  client: pg.ClientBase,
  {
    run,
    part,
    environment,
    words,
    atMost,
  }: Pick<Laying, 'run' | 'environment'> & { part: number; words: string; atMost: string | undefined },
  sets: readonly { readonly loads: readonly string[]; readonly needs: readonly KeptNeed[] }[],
): Promise<void> {
  await client.query(
    `with given as (
       select row_number() over () as n, s.loads, s.needs from jsonb_to_recordset($4::jsonb) s(loads bigint[], needs jsonb)),
     numbered as (select nextval('mattock.wait_set_id_seq') as id, n, loads, needs from given),
     asked as (
       select n.id as set_id, (d.ordinality - 1)::integer as position, w.* from numbered n
       cross join lateral jsonb_array_elements(n.needs) with ordinality d(need, ordinality)
       cross join lateral jsonb_to_record(d.need) w(kind text, job text, row_key text, slice_from timestamptz, slice_to timestamptz, slice_label text, dataset text, after timestamptz, store text, pattern text, marker text, run_needed integer, part integer, step text)),
     -- what many wait for is looked at once
     looked as materialized (
       select job, row_key, slice_from, slice_to, mattock.slice_is_loaded($3, job, row_key, slice_from, slice_to) as met
       from (select distinct job, row_key, slice_from, slice_to from asked where kind = 'slice') s),
     judged as (
       select a.*, case when a.kind = 'run' then exists (select 1 from mattock.run r where (r.id = a.run_needed or r.rerun_of = a.run_needed) and r.state = 'done') else coalesce(l.met, false) end as met from asked a left join looked l
         on l.job = a.job and l.row_key is not distinct from a.row_key and l.slice_from = a.slice_from and l.slice_to = a.slice_to),
     sets as (
       insert into mattock.wait_set (id, run_id, part, missing, since, gives_up_at, released_at)
       select set_id, $1, $2, count(*) filter (where not met), clock_timestamp(), mattock.clock() + $6::interval, case when bool_and(met) then clock_timestamp() end from judged group by set_id
       returning id, missing),
     needs as (
       insert into mattock.wait_need (set_id, position, kind, environment, job, row_key, slice_from, slice_to, slice_label, dataset, after, store, pattern, marker, run_needed, part, step, met_at)
       select set_id, position, kind, $3, job, row_key, slice_from, slice_to, slice_label, dataset, after, store, pattern, marker, run_needed, part, step, case when met then clock_timestamp() end
       from judged where exists (select 1 from sets s where s.id = set_id))
     update mattock.load l set wait_set = s.id, lane = case when s.missing > 0 then -1 - l.lane else l.lane end, waits_for = case when s.missing > 0 then $5 end
     from sets s join numbered n on n.id = s.id where l.id = any (n.loads)`,
    [run, part, environment, JSON.stringify(sets), words, atMost ?? null],
  )
}
