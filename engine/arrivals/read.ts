import { Temporal } from 'temporal-polyfill'
import {
  arrivalStates,
  dueBySaying,
  habitOf,
  isOverdue,
  stateOfArrival,
  type ArrivalState,
  type ArrivedFile,
  type Habit,
} from '../../core/arrivals/arrival'
import type { KnownName } from '../../core/arrivals/nearest'
import { answered, type ArrivalAnswer } from '../../core/arrivals/answers'
import { fail, FaultError } from '../../core/fault'
import { partName, type Job } from '../../core/job/document'
import { expectsFiles } from '../../core/job/expectsFiles'
import { expand } from '../../core/plan/expand/expand'
import { fileWantsOf } from '../../core/plan/fileWants'
import type { Expansion } from '../../core/plan/types'
import { newestClosed, slicesBetween, type Slice } from '../../core/slice/slices'
import { valueText, type Row } from '../../core/value'
import { openAs } from '../connectors/connections'
import { Lister } from '../connectors/files/store'
import type { Engine } from '../context/engine'
import { readableJob, versionsIn } from '../jobs/versions'
import { gatherLately } from '../planning/gather'
import { planRequest, readEnvironment } from '../planning/plan'
import { clockNow } from '../context/clock'
import { readAnswers } from './answers'
import { placeKey, takenInstead } from './instead'
import { namesFiles } from './namesFiles'
import type { Searched } from './searched'
import { straysOf, type Stray } from './strays'

export interface ArrivalsAsk {
  readonly environment: string
  /** ISO 8601 instants of data time, half-open. */
  readonly from: string
  readonly until: string
  /** Every job that expects files where it is left out. */
  readonly job?: string | undefined
  /** Only the newest slice of each is looked at, and no habit is known then; nor are files that no row expects. */
  readonly newestOnly?: boolean | undefined
  /** Those of the span that came after their time, or never, are given one by one. */
  readonly late?: boolean | undefined
}

/** A row that expects files, slice by slice. */
export interface Feed {
  readonly part: string
  readonly row: string
  /** A letter for each slice, as in {@link arrivalStates}. */
  readonly letters: string
  readonly overdue: number
  readonly habit: Habit | null
}

/** What one row and slice expects. */
export interface Arrival {
  readonly job: string
  readonly title: string
  readonly part: string
  readonly row: string
  readonly slice: Slice
  readonly store: string
  /** The name, or its pattern. */
  readonly name: string
  readonly due: string | null
  /** How the time is known that it is due at. */
  readonly by: 'control' | 'habit' | null
  /** When the last of its files came; null where none did. */
  readonly came: string | null
  readonly files: readonly ArrivedFile[]
  readonly state: ArrivalState
  readonly habit: Habit | null
  /** What somebody said about it, where that makes its state. */
  readonly answer: ArrivalAnswer | null
}

export interface ArrivalsOfJob {
  readonly job: string
  readonly title: string
  readonly zone: string
  readonly slices: readonly Slice[]
  readonly feeds: readonly Feed[]
  /** Why nothing is known of it. */
  readonly without: string | null
}

export interface Arrivals {
  readonly at: string
  readonly jobs: readonly ArrivalsOfJob[]
  /** What the newest slice of each job expects. */
  readonly newest: readonly Arrival[]
  /** Where they are asked for: those that came after their time, or never. */
  readonly late: readonly Arrival[]
  readonly strays: readonly Stray[]
}

/** Slices of a job that are shown at most. */
const mostSlices = 400
/** What each row and slice expects by file, and whether it came. @throws FaultError `unknown-name`, `request` */
export async function readArrivals(engine: Engine, ask: ArrivalsAsk): Promise<Arrivals> {
  await readEnvironment(engine, ask.environment)
  if (!(Date.parse(ask.until) > Date.parse(ask.from))) fail('request', 'the span ends before it begins', { path: 'until' })
  const now = await clockNow(engine)
  const jobs = (await versionsIn(engine, ask.environment)).flatMap((version) => {
    const job = readableJob(version)
    return job && (ask.job === undefined || job.name === ask.job) && expectsFiles(job) ? [job] : []
  })
  if (ask.job !== undefined && jobs.length === 0) fail('unknown-name', `there is no job "${ask.job}" that expects files for slices`, { job: ask.job })
  const known: Known[] = []
  const found: ArrivalsOfJob[] = []
  const newest: Arrival[] = []
  const late: Arrival[] = []
  for (const job of jobs) {
    const about = { job: job.name, title: job.title, zone: job.slices!.zone }
    try {
      const one = await arrivalsOf(engine, job, ask, now)
      known.push(one)
      found.push({ ...about, slices: one.slices, feeds: one.feeds, without: null })
      newest.push(...one.newest)
      if (ask.late) late.push(...one.all.filter((arrival) => cameLate(arrival, now)))
    } catch (error) {
      if (!(error instanceof FaultError)) throw error
      found.push({ ...about, slices: [], feeds: [], without: error.fault.message })
    }
  }
  return { at: new Date(now).toISOString(), jobs: found, newest, late, strays: ask.newestOnly ? [] : await straysOf(engine, { ...ask, now }, known) }
} // prettier-ignore

export interface Known extends Searched {
  readonly feeds: readonly Feed[]
  readonly newest: readonly Arrival[]
  readonly all: readonly Arrival[]
}

/** Did it come after it was due, or never? */
const cameLate = ({ due, came, state }: Arrival, now: number): boolean =>
  due !== null &&
  Date.parse(due) < now &&
  (came === null ? isOverdue(state) : Date.parse(came) > Date.parse(due))

/** What one job expects. @throws FaultError where its rows or slices, or a store, cannot be read */
export async function arrivalsOf(engine: Engine, job: Job, { environment, from, until, newestOnly }: ArrivalsAsk, now: number): Promise<Known> {
  const newest = newestClosed(job.slices!, new Date(now).toISOString())
  const slices = newestOnly ? (newest ? [newest] : []) : slicesBetween(job.slices!, from, new Date(Math.min(now, Date.parse(until))).toISOString(), mostSlices)
  const request = { ...(await planRequest(engine, job, { environment, parameters: {}, span: undefined })), slices, texts: namesFiles }
  const expansion = expand(request, await gatherLately(engine, request))
  const stop = expansion.findings.find(({ level, where, code }) => level === 'stop' && (where.path?.includes('.each') || code === 'roster'))
  if (stop) throw new FaultError({ code: 'roster', message: stop.message, where: stop.where })
  const wants = fileWantsOf(expansion).filter(({ load }) => load.slice >= 0)
  const byStore = new Map<string, Set<string>>()
  for (const { store, files } of wants) byStore.set(store, (byStore.get(store) ?? new Set()).add(files.pattern))
  const listers = new Map<string, Lister>()
  const found = new Map<string, readonly ArrivedFile[]>()
  for (const [store, patterns] of byStore) {
    const lister = new Lister((await openAs(engine, 'files', store, environment)).store)
    listers.set(store, lister)
    for (const [pattern, files] of await lister.findHere([...patterns], 32)) found.set(`${store}\n${pattern}`, files)
  }
  const loaded = await loadedFiles(engine, environment, [...byStore.keys()])
  const covered = await coveredSlices(engine, environment, job.name)
  const answers = await readAnswers(engine, environment, job.name)
  const taken = wants.some(({ load }) => load.instead) ? await takenInstead(engine, environment, job.name) : new Map<string, never>()
  // once for each part: each of its loads asks
  const patience = job.parts.map(({ each }) => Temporal.Duration.from(each?.arrives?.missing_after ?? 'P1D').total({ unit: 'milliseconds', relativeTo: '2026-01-01' })) // prettier-ignore
  const filesOf = (want: (typeof wants)[number]) => found.get(`${want.store}\n${want.files.pattern}`) ?? []
  // when the files of each row came, against the ends of their slices
  const lags = new Map<string, number[]>()
  const ends = slices.map(({ to }) => Date.parse(to))
  for (const want of wants) {
    const [last] = filesOf(want).map(({ modified }) => Date.parse(modified)).sort((a, b) => b - a)
    const key = `${want.part} ${want.load.row}`
    // what somebody sent in its place did not come by habit
    if (last === undefined || want.load.instead) continue
    const list = lags.get(key) ?? []
    lags.set(key, list)
    list.push((last - ends[want.load.slice]!) / 1000)
  }
  const habits = new Map([...lags].map(([key, seconds]) => [key, habitOf(seconds)]))
  const arrivals = new Map<string, Arrival[]>()
  for (const want of wants) {
    const roster = expansion.parts[want.part]!.roster!
    const { key: row, row: values } = roster.rows[want.load.row]!
    const slice = slices[want.load.slice]!
    const column = job.parts[want.part]!.each!.arrives?.by
    const habit = habits.get(`${want.part} ${want.load.row}`)
    const said = column === undefined ? undefined : dueBySaying(valueText(values[column] ?? null), slice.to, job.slices!.zone)
    const due = said ?? (habit && Date.parse(slice.to) + habit.late * 1000)
    const files = filesOf(want)
    const part = partName(job.parts[want.part]!, want.part)
    const key = placeKey(part, row, slice.from)
    // a file that is taken in the place of another may have been loaded for a row or a slice of its own
    const own = (file: ArrivedFile) => (taken.has(key) ? sameFile(taken.get(key)!, file) : covered.has(key) ? 'otherwise' : undefined)
    const { state, answer } = answered(stateOfArrival(
      {
        files,
        loaded: want.load.instead ? own : (file) => loaded.get(`${want.store}\n${file.path}`)?.(file),
        covered: covered.has(key),
        due,
        missingAfter: patience[want.part]!,
      },
      now,
    ), (answers.get(`${part}\n${row}`) ?? []).filter(({ kind, file }) => kind !== 'instead' || file === want.files.text), slice.from, now)
    const came = files.map(({ modified }) => modified).sort().at(-1) ?? null
    const one: Arrival = {
      job: job.name, title: job.title, part, row, slice, store: want.store, name: want.files.pattern,
      due: answer?.until ?? (due === undefined ? null : new Date(due).toISOString()), by: said !== undefined ? 'control' : due === undefined ? null : 'habit',
      came, files: files.map(({ path, size, modified }) => ({ path, size, modified })), state, habit: habit ?? null, answer: answer ?? null,
    }
    const feed = `${want.part} ${want.load.row}`
    arrivals.set(feed, [...(arrivals.get(feed) ?? []), one])
  }
  return {
    job, slices, listers,
    feeds: [...arrivals].map(([key, list]) => feedOf(list, slices, habits.get(key))),
    all: [...arrivals.values()].flat(),
    newest: [...arrivals.values()].flatMap((list) => list.filter(({ slice }) => slice.from === slices.at(-1)?.from)),
    paths: new Map([...byStore].map(([store, patterns]) => [store, new Set([...patterns].flatMap((pattern) => (found.get(`${store}\n${pattern}`) ?? []).map(({ path }) => path)))])),
    names: namesByStore(job, wants, expansion),
    folders: new Map([...byStore].map(([store, patterns]) => [store, new Set([...patterns].map((pattern) => pattern.slice(0, pattern.lastIndexOf('/') + 1)))])),
  }
} // prettier-ignore

/** The worst of what several files of one slice are. */
const worst: readonly ArrivalState[] = [
  'missing',
  'late',
  'empty',
  'again',
  'here',
  'expected',
  'loaded',
  'without',
  'unasked',
]

function feedOf(list: readonly Arrival[], slices: readonly Slice[], habit: Habit | undefined): Feed {
  const bySlice = new Map<string, ArrivalState>()
  for (const { slice, state } of list) {
    const before = bySlice.get(slice.from)
    if (!before || worst.indexOf(state) < worst.indexOf(before)) bySlice.set(slice.from, state)
  }
  const states = slices.map(({ from }) => bySlice.get(from) ?? 'unasked')
  return {
    part: list[0]!.part,
    row: list[0]!.row,
    letters: states.map((state) => arrivalStates[state]).join(''),
    overdue: states.filter((state) => state === 'late' || state === 'missing').length,
    habit: habit ?? null,
  }
}

function namesByStore(job: Job, wants: ReturnType<typeof fileWantsOf>, expansion: Expansion): Map<string, (KnownName & { part: string; values: Row })[]> {
  const names = new Map<string, (KnownName & { part: string; values: Row })[]>()
  const seen = new Set<string>()
  for (const { store, part, load, files } of wants) {
    // a name that somebody put in the place of its own says nothing of how files of a row are called
    if (load.instead || seen.has(`${store} ${part} ${load.row}`)) continue
    seen.add(`${store} ${part} ${load.row}`)
    const { key, row } = expansion.parts[part]!.roster!.rows[load.row]!
    names.set(store, [...(names.get(store) ?? []), { part: partName(job.parts[part]!, part), row: key, values: row, name: files.pattern.slice(files.pattern.lastIndexOf('/') + 1) }])
  }
  return names
} // prettier-ignore

const sameFile = (
  was: Pick<ArrivedFile, 'size' | 'modified'>,
  { size, modified }: ArrivedFile,
): 'so' | 'otherwise' =>
  was.size === size && Date.parse(was.modified) === Date.parse(modified) ? 'so' : 'otherwise'

/** Of each file of some stores that was ever loaded: is one of its name the same? */
async function loadedFiles(engine: Engine, environment: string, stores: readonly string[]) {
  const { rows } = await engine.db.$client.query<{ store: string; path: string; size: number; modified: string }>(
    `select store, path, size::float8 as size, modified from mattock.loaded_file where environment = $1 and store = any ($2)`,
    [environment, stores],
  )
  const known = new Map<string, (file: ArrivedFile) => 'so' | 'otherwise'>()
  for (const { store, path, size, modified } of rows)
    known.set(`${store}\n${path}`, (file) => sameFile({ size, modified }, file))
  return known
} // prettier-ignore

async function coveredSlices(engine: Engine, environment: string, job: string): Promise<Set<string>> {
  const { rows } = await engine.db.$client.query<{ key: string }>(
    `select part || E'\\n' || row_key || E'\\n' || (date_part('epoch', slice_from) * 1000)::bigint as key from mattock.coverage
     where environment = $1 and job = $2 and loaded_by is not null`,
    [environment, job],
  )
  return new Set(rows.map(({ key }) => key))
}
