import {
  cellsOf,
  slicesToShow,
  spansBeside,
  type Cells,
  type Covered,
  type Span,
  type UnderWay,
} from '../../core/coverage/cells'
import { fail, FaultError } from '../../core/fault'
import { activeSteps, partName, type Job, type Part } from '../../core/job/document'
import { newestDue } from '../../core/schedule/takes'
import { slicesBetween, withRestated } from '../../core/slice/slices'
import type { Engine } from '../context/engine'
import { inBatches } from '../context/inBatches'
import { readableJob, versionsIn } from '../jobs/versions'
import { readEnvironment } from '../planning/plan'
import { clockNow } from '../context/clock'
import { rosterRows } from './rosterRows'

export interface CoverageAsk {
  readonly environment: string
  /** ISO 8601 instants of data time, half-open. */
  readonly from: string
  readonly until: string
  /** Every job with slices where it is left out. */
  readonly job?: string | undefined
}

export interface CoverageRow extends Cells {
  readonly part: string
  readonly row: string
  /** The job loops over it now. */
  readonly there: boolean
  /** Of the columns that rows can be grouped by. */
  readonly values: readonly string[]
}

export interface CoverageJob {
  readonly job: string
  readonly title: string
  readonly zone: string
  readonly every: string
  readonly slices: readonly { readonly from: string; readonly to: string; readonly label: string }[]
  /** Parts that go through slices, where there are several. */
  readonly parts: readonly { readonly part: string; readonly title: string }[]
  readonly columns: readonly string[]
  readonly rows: readonly CoverageRow[]
  /** Slices that begin here or later are loaded again by the next run. */
  readonly restatedFrom: string | null
  /** Why the rows of its roster are not known; then those are shown that were loaded. */
  readonly trouble: string | null
  /** Why nothing is shown of it. */
  readonly without: string | null
}

/** Slices of a job that are shown at most: more are narrower than can be seen. */
const mostSlices = 1500

/**
 * What was loaded of each row, slice by slice, and what is missing.
 * @throws FaultError `unknown-name`, `request` for a span that cannot be
 */
export async function readCoverage(engine: Engine, ask: CoverageAsk): Promise<{ at: string; jobs: CoverageJob[] }> {
  await readEnvironment(engine, ask.environment)
  if (!(Date.parse(ask.until) > Date.parse(ask.from))) fail('request', 'the span ends before it begins', { path: 'until' })
  const now = await clockNow(engine)
  const jobs = slicedJobs(await versionsIn(engine, ask.environment)).filter(({ name }) => ask.job === undefined || name === ask.job)
  if (ask.job !== undefined && jobs.length === 0) fail('unknown-name', `there is no job "${ask.job}" with slices`, { job: ask.job })
  const shown = new Map<string, CoverageJob>()
  // jobs whose days are cut alike are many
  const cut = new Map<string, Labelled[] | string>()
  await inBatches(jobs, 6, async (job) => {
    shown.set(job.name, await coverageOf(engine, job, ask, now, cut))
  })
  return { at: new Date(now).toISOString(), jobs: jobs.map(({ name }) => shown.get(name)!) }
} // prettier-ignore

/** Jobs that go through slices; one whose text can no longer be read is told by the Morning sheet. */
const slicedJobs = (versions: Awaited<ReturnType<typeof versionsIn>>): Job[] =>
  versions.flatMap((version) => {
    const job = readableJob(version)
    return job?.slices && job.parts.some(goesThroughSlices) ? [job] : []
  })

const goesThroughSlices = (part: Part): boolean => part.each !== undefined && part.each.slices !== false

async function coverageOf(engine: Engine, job: Job, ask: CoverageAsk, now: number, cut: Map<string, Labelled[] | string>): Promise<CoverageJob> {
  const about = { job: job.name, title: job.title, zone: job.slices!.zone, every: job.slices!.every }
  const nothing = { ...about, slices: [], parts: [], columns: [], rows: [], restatedFrom: null, trouble: null }
  const until = Math.min(Date.parse(ask.until), now)
  const like = JSON.stringify(job.slices)
  const rule = cut.get(like) ?? ruleSlices(job, ask.from, until)
  cut.set(like, rule)
  if (typeof rule === 'string') return { ...nothing, without: rule }
  const [history, roster] = await Promise.all([
    readHistory(engine, job.name, ask),
    rosterRows(engine, job, ask.environment),
  ])
  const beside = spansBeside(spansOf(history.values()), rule)
  const slices = slicesToShow(rule, await labelled(engine, job.name, ask.environment, beside))
  const due = newestDue(job, now)
  const dueEnd = due && Date.parse(due.to)
  const sliced = job.parts.flatMap((part, index) => (goesThroughSlices(part) ? [{ part, index, name: partName(part, index) }] : []))
  const columns = [...new Set([...roster.parts.values()].flatMap((part) => part.columns))]
  const rows: CoverageRow[] = []
  for (const { index, name } of sliced) {
    const now = roster.parts.get(index)
    const known = [...history.values()].filter((one) => one.part === name)
    const keys = [...(now?.rows.keys() ?? []), ...known.map(({ row }) => row).filter((row) => !now?.rows.has(row))]
    for (const row of keys) {
      const was = history.get(`${name}\n${row}`)
      const there = now === undefined || now.rows.has(row)
      // one that is gone, and of which nothing was loaded in this span
      if (!there && was?.covered.length === 0 && was.underWay.length === 0) continue
      const cells = cellsOf(slices, { covered: was?.covered ?? [], underWay: was?.underWay ?? [], since: was?.since, there }, dueEnd)
      rows.push({ part: name, row, there, values: columns.map((column) => now?.rows.get(row)?.[now.columns.indexOf(column)] ?? ''), ...cells })
    }
  }
  return {
    ...about,
    slices: slices.map(({ from, to, label }) => ({ from: new Date(from).toISOString(), to: new Date(to).toISOString(), label })),
    parts: sliced.length > 1 ? sliced.map(({ part, name }) => ({ part: name, title: part.title ?? activeSteps(part)[0]?.title ?? name })) : [],
    columns,
    rows,
    restatedFrom: due && job.slices!.restate !== undefined ? withRestated(job.slices!, [due])[0]!.from : null,
    trouble: roster.trouble,
    without: null,
  }
} // prettier-ignore

function* spansOf(histories: Iterable<History>): Generator<Span> {
  for (const { covered, underWay } of histories) {
    yield* covered
    yield* underWay
  }
}

type Labelled = Span & { readonly label: string }

/** The slices that the rule of a job gives in a span, as far as they are over; why not, in words, where it does not. */
function ruleSlices({ slices }: Job, from: string, until: number): Labelled[] | string {
  try {
    const all = slicesBetween(slices!, from, new Date(until).toISOString(), mostSlices)
    return all.map((slice) => ({
      from: Date.parse(slice.from),
      to: Date.parse(slice.to),
      label: slice.label,
    }))
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    return error.fault.message.startsWith('more than')
      ? `there are more than ${mostSlices.toLocaleString('en')} slices of it in this span: a shorter one shows them`
      : error.fault.message
  }
}

interface History {
  readonly part: string
  readonly row: string
  readonly since: number | undefined
  readonly covered: Covered[]
  readonly underWay: UnderWay[]
}

const endStates = ['done', 'failed', 'skipped', 'stopped'] as const

/** What became of the rows of a job in a span, and what goes on, by part and row. */
async function readHistory(engine: Engine, job: string, { environment, from, until }: CoverageAsk): Promise<Map<string, History>> {
  const [ended, moving] = await Promise.all([
    engine.db.$client.query<{ part: string; row: string; since: number | null; cells: string | null }>(
      // one text of numbers a row: a hundred thousand narrow rows take longer to hand over than to read
      `select part, row_key as row, date_part('epoch', min(slice_from) filter (where loaded_by is not null)) * 1000 as since,
         string_agg(date_part('epoch', slice_from) || ',' || date_part('epoch', slice_to) || ',' || array_position($5::text[], state) || ',' || (loaded_by is not null)::int || ',' || rows || ',' || rejected, ',' order by slice_from, slice_to)
           filter (where slice_to > $3 and slice_from < $4) as cells
       from mattock.coverage where environment = $1 and job = $2 group by part, row_key order by part, row_key`,
      [environment, job, from, until, endStates],
    ),
    engine.db.$client.query<{ part: string; row: string; state: UnderWay['state']; from: number; to: number }>(
      `select coalesce(p.id, '#' || l.part) as part, coalesce(l.row_key, '') as row, l.state,
         date_part('epoch', l.slice_from) * 1000 as "from", date_part('epoch', l.slice_to) * 1000 as "to"
       from mattock.run r join mattock.load l on l.run_id = r.id left join mattock.run_part p on p.run_id = l.run_id and p.part = l.part
       where r.environment = $1 and r.job = $2 and r.state in ('running', 'waiting', 'held') and l.state in ('running', 'waiting', 'held')
         and l.slice_to > $3 and l.slice_from < $4`,
      [environment, job, from, until],
    ),
  ])
  const histories = new Map<string, History>()
  for (const { part, row, since, cells } of ended.rows) {
    const covered: Covered[] = []
    const numbers = JSON.parse(`[${cells ?? ''}]`) as number[]
    for (let at = 0; at < numbers.length; at += 6)
      covered.push({
        from: numbers[at]! * 1000,
        to: numbers[at + 1]! * 1000,
        state: endStates[numbers[at + 2]! - 1]!,
        loaded: numbers[at + 3] === 1,
        rows: numbers[at + 4]!,
        rejected: numbers[at + 5]!,
      })
    histories.set(`${part}\n${row}`, { part, row, since: since ?? undefined, covered, underWay: [] })
  }
  for (const { part, row, state, from: begins, to } of moving.rows) {
    const key = `${part}\n${row}`
    const one = histories.get(key) ?? { part, row, since: undefined, covered: [], underWay: [] }
    one.underWay.push({ from: begins, to, state })
    histories.set(key, one)
  }
  return histories
} // prettier-ignore

/** What spans of an earlier rule were called. */
async function labelled(engine: Engine, job: string, environment: string, spans: readonly Span[]): Promise<Labelled[]> {
  if (spans.length === 0) return []
  const { rows } = await engine.db.$client.query<{ from: number; label: string }>(
    `select distinct on (slice_from, slice_to) date_part('epoch', slice_from) * 1000 as "from", slice_label as label from mattock.coverage
     where environment = $1 and job = $2 and slice_from = any ($3::timestamptz[])`,
    [environment, job, spans.map(({ from }) => new Date(from).toISOString())],
  )
  const labels = new Map(rows.map(({ from, label }) => [from, label]))
  return spans.map((span) => ({ ...span, label: labels.get(span.from) ?? new Date(span.from).toISOString().slice(0, 16) }))
} // prettier-ignore
