import {
  canMove,
  missedWay,
  startFollows,
  startKind,
  startText,
  startTimes,
  startZone,
  type Start,
  type StartKind,
  type StartTime,
} from '../../core/job/starts'
import type { Job } from '../../core/job/document'
import { decide } from '../../core/schedule/decide'
import { dueBy } from '../../core/schedule/due'
import { lengthOf } from '../../core/schedule/duration'
import { closedAt, type Slice } from '../../core/slice/slices'
import type {
  Crowd,
  Foreseen,
  NightJob,
  NightPart,
  NightRun,
  NightSlice,
  Rehearsed,
} from '../../core/schedule/foreseen'
import { rehearse } from '../../core/schedule/night'
import { waitDatasets, waitJobs } from '../../core/job/waits'
import { fail } from '../../core/fault'
import { clockNow } from '../context/clock'
import type { Engine } from '../context/engine'
import { readableJob, versionIn } from '../jobs/versions'
import { readEnvironment } from '../planning/plan'
import { connectionCaps, jobHistories, runsGoingOn, type JobHistory } from './history'
import { pauseAt, pausesSince, type Pause } from './pauses'
import { allStarts } from './states'

/** A start that would be another: what the night would be with it. */
export interface Moved {
  readonly job: string
  readonly start: string
  readonly given: unknown
}

export interface OutlookAsk {
  readonly environment: string
  /** ISO 8601 instants. */
  readonly from: string
  readonly until: string
  /** Loads that all workers together run at once, where it is another number than there is. */
  readonly workers?: number | undefined
  /** Loads that may use connections at once, for those of which it is another number than they say. */
  readonly caps?: Readonly<Record<string, number>> | undefined
  readonly moved?: readonly Moved[] | undefined
}

/** A run that is foreseen, as it is told. */
export interface ForeseenRun extends Omit<
  Foreseen,
  'at' | 'begins' | 'ends' | 'low' | 'high' | 'label' | 'run' | 'began' | 'stuck' | 'givesUp'
> {
  readonly at: string
  readonly begins: string
  readonly ends: string
  readonly low: string
  readonly high: string
  readonly label: string | null
  readonly run: number | null
  /** By when it is to be done; null where its job does not say. */
  readonly due: string | null
  /** What it waits for, where nothing in the span brings that: `ends` is the end of the span then, or when it has given up. */
  readonly stuck: string | null
  /** When loads of it wait no longer for that, and fail. */
  readonly givesUp: string | null
}

/** A time at which a start would come, did a pause not keep it from it. */
export interface HeldTime {
  readonly job: string
  readonly start: string
  readonly at: string
  readonly pause: number
}

export interface StartOutlook {
  readonly id: string
  readonly kind: StartKind
  /** It can be moved to another time of the day. */
  readonly moves: boolean
  /** What its kind is given, as in the document. */
  readonly given: unknown
  readonly text: string
  readonly zone: string
  /** The next time; null for those that wait for something. */
  readonly next: string | null
  /** What it waits for. */
  readonly waitsFor: readonly string[]
  readonly pause: Pause | null
}

export interface Outlook {
  readonly at: string
  readonly workers: number
  readonly jobs: readonly { readonly job: string; readonly title: string; readonly zone: string; readonly due: string | null; readonly starts: readonly StartOutlook[] }[]
  readonly foreseen: readonly ForeseenRun[]
  readonly held: readonly HeldTime[]
  readonly busy: readonly { readonly at: string; readonly loads: number }[]
  readonly crowded: readonly { readonly from: string; readonly until: string; readonly waiting: number }[]
  readonly capped: readonly { readonly connection: string; readonly from: string; readonly until: string; readonly waiting: number }[]
  /** Loads that may use a connection at once, of those that runs of the span use. */
  readonly caps: readonly { readonly connection: string; readonly cap: number }[]
} // prettier-ignore

/** A span that is looked ahead over at most: two weeks. */
const longest = 14 * 86_400_000

/**
 * What will begin in a span, when it will be done by what like runs took, and what keeps what from beginning: every start
 * of an environment is played through.
 * @throws FaultError `unknown-name` for an environment that is not there, `request` for a span that cannot be
 */
export async function lookAhead(engine: Engine, ask: OutlookAsk): Promise<Outlook> {
  await readEnvironment(engine, ask.environment)
  const now = await clockNow(engine)
  const [from, until] = [Math.max(now, Date.parse(ask.from)), Date.parse(ask.until)]
  if (!(until - from <= longest)) fail('request', 'at most two weeks are looked ahead', { path: 'until' })
  const [all, histories, pauses, capacity, own] = await Promise.all([
    allStarts(engine, ask.environment),
    jobHistories(engine, ask.environment),
    pausesSince(engine.db.$client, ask.environment, new Date(Math.min(now, from)).toISOString()),
    capacityOf(engine),
    connectionCaps(engine),
  ])
  const running = await runsGoingOn(engine, ask.environment, histories)
  const starts = all.map((one) => ({ ...one, start: movedStart(one.job, one.start, ask.moved) }))
  const byJob = new Map<string, { job: Job; starts: Start[] }>()
  for (const { job, start } of starts) {
    const known = byJob.get(job.name)
    if (known) known.starts.push(start)
    else byJob.set(job.name, { job, starts: [start] })
  }
  // what was begun by hand takes places, too, and may be due
  for (const name of new Set(running.map(({ job }) => job)))
    if (!byJob.has(name)) {
      const job = readableJob(await versionIn(engine, name, ask.environment))
      if (job) byJob.set(name, { job, starts: [] })
    }
  const held: HeldTime[] = []
  const nights: NightJob[] = []
  const waited = waitedFor(
    [...byJob.values()].map(({ job }) => job),
    running,
    histories,
  )
  for (const { job, starts: own } of byJob.values())
    nights.push(
      nightJob(job, own, histories.get(job.name), { from: now, until }, pauses, held, waited.has(job.name)),
    )
  const workers = ask.workers ?? capacity
  const caps = { ...own, ...ask.caps }
  const played = until > now ? rehearse({ from: now, until, jobs: nights, running, workers: Math.max(1, workers), caps }) : { runs: [], busy: [], crowded: [], capped: [] } // prettier-ignore
  const used = new Set(nights.flatMap(({ parts }) => parts.flatMap(({ uses }) => uses ?? []).flat()))
  return {
    at: new Date(now).toISOString(),
    workers,
    jobs: [...byJob.values()].map(({ job, starts: own }) => ({
      job: job.name,
      title: job.title,
      zone: zoneOf(job),
      due: job.due ?? null,
      starts: own.map((start) => startOutlook(job, start, histories.get(job.name), now, pauses)),
    })),
    held,
    caps: Object.entries(caps).flatMap(([connection, cap]) =>
      used.has(connection) ? [{ connection, cap }] : [],
    ),
    ...told(played, byJob, from),
  }
}

/** The zone of a job: that of its slices, else of its first start. */
export const zoneOf = (job: Job): string =>
  job.slices?.zone ?? (job.starts[0] ? startZone(job.starts[0], job) : 'UTC')

function movedStart(job: Job, start: Start, moved: readonly Moved[] = []): Start {
  const to = moved.find((one) => one.job === job.name && one.start === start.id)
  return to ? { ...start, [startKind(start)]: to.given } : start
}

function nightJob(job: Job, starts: readonly Start[], history: JobHistory | undefined, span: { from: number; until: number }, pauses: readonly Pause[], held: HeldTime[], isWaitedFor: boolean): NightJob {
  const closed = isWaitedFor && job.slices ? closedAt(job.slices) : undefined
  const read = sliceReader()
  const times = starts.flatMap((start) =>
    timesOf(job, start, span, pauses, held).map(({ at, slice, slices }) => {
      // a start that is of no slice takes the newest that is over
      const takes = slices ?? slice ?? closed?.(at)
      return { start: start.id, at, ...(slice ? { label: slice.label } : {}), ...(takes ? { slice: read(takes) } : {}) }
    }),
  )
  const parts = history?.parts ?? job.parts.map((_part, at) => ({ loads: 1, atOnce: 1, waits: at === 0 ? [] : [at - 1], lengths: [] }))
  return {
    job: job.name,
    parts: parts.map((part, at) => ({ ...part, waitsFor: waitsOf(job, at), atMost: lengthOf(job.parts[at]?.each?.waits_at_most ?? ''), anyway: (job.parts[at]?.when ?? 'done') !== 'done' })),
    atOnceRuns: job.at_once_runs,
    times,
    follows: starts.flatMap((start) => {
      const follows = startFollows(start, history?.reads ?? [])
      return follows && !pauseAt(pauses, job.name, start.id, span.from) ? { start: start.id, ...follows } : []
    }),
    writes: history?.writes ?? [],
  }
} // prettier-ignore

/** Reads slices, the same once. */
function sliceReader(): (slice: Pick<Slice, 'from' | 'to'>) => NightSlice {
  let known: { readonly of: unknown; readonly slice: NightSlice } | undefined
  return (of) => {
    if (known?.of !== of) known = { of, slice: { from: Date.parse(of.from), to: Date.parse(of.to) } }
    return known.slice
  }
}

interface NightTime extends StartTime {
  /** First and last slice, of a run that makes up for several times. */
  readonly slices?: { readonly from: string; readonly to: string } | undefined
}

/** When a start begins a run: at its times, and where a pause keeps it from them, at the end of that, as it says of missed ones. */
function timesOf(job: Job, start: Start, span: { from: number; until: number }, pauses: readonly Pause[], held: HeldTime[]): NightTime[] {
  const here = pauseAt(pauses, job.name, start.id, span.from)
  const since = here ? Math.max(Date.parse(here.from), span.from - longest) : span.from
  const found: NightTime[] = []
  const kept = new Map<number, StartTime[]>()
  for (const time of startTimes(start, job, since, span.until, 3000)) {
    const pause = pauseAt(pauses, job.name, start.id, time.at)
    if (!pause) {
      if (time.at > span.from) found.push(time)
      continue
    }
    if (time.at > span.from) held.push({ job: job.name, start: start.id, at: iso(time.at), pause: pause.id })
    const end = pauseEnd(pauses, job.name, start.id, pause, span.until)
    if (end <= span.until) kept.set(end, [...(kept.get(end) ?? []), time])
  }
  for (const [end, times] of kept)
    for (const { does, at, slices } of decide({ times, now: end, missed: missedWay(start), reason: () => '', inTime: -1 }))
      if (does === 'start') found.push({ at: end, slice: times.find((time) => time.at === at)!.slice, slices })
  return found.sort((one, other) => one.at - other.at)
} // prettier-ignore

/** When a start that is paused goes on: another pause may follow. Something after `until` where it does not before. */
function pauseEnd(pauses: readonly Pause[], job: string, start: string, pause: Pause, until: number): number {
  let end = 0
  for (let one: Pause | undefined = pause; one && end <= until; one = pauseAt(pauses, job, start, end))
    end = one.until === null ? Infinity : Date.parse(one.until)
  return end
}

/** Jobs whose slices others wait for: of those it matters which slices they take. */
function waitedFor(jobs: readonly Job[], running: readonly NightRun[], histories: ReadonlyMap<string, JobHistory>): Set<string> {
  const waits = jobs.flatMap((job) => job.parts.flatMap((_part, at) => waitsOf(job, at) ?? []))
  const datasets = new Set(waits.flatMap((wait) => wait.datasets))
  return new Set([
    ...waits.flatMap((wait) => wait.jobs),
    ...running.flatMap((run) => run.waits ?? []).flatMap(({ by }) => by.map(({ job }) => job)),
    ...[...histories].flatMap(([job, { writes }]) => (writes.some((dataset) => datasets.has(dataset)) ? [job] : [])),
  ])
} // prettier-ignore

/** What the loads of a part wait for. */
function waitsOf(job: Job, part: number): NightPart['waitsFor'] {
  const waits = job.parts[part]?.each?.waits ?? []
  const jobs = waits.flatMap(waitJobs)
  const datasets = waits.flatMap(waitDatasets)
  return jobs.length + datasets.length === 0 ? undefined : { jobs, datasets }
}

function startOutlook(job: Job, start: Start, history: JobHistory | undefined, now: number, pauses: readonly Pause[]): StartOutlook {
  const next = startTimes(start, job, now, now + 2 * 366 * 86_400_000, 1)[0]
  const follows = startFollows(start, history?.reads ?? [])
  return {
    id: start.id,
    kind: startKind(start),
    moves: canMove(startKind(start)),
    given: start[startKind(start)],
    text: startText(start, job),
    zone: startZone(start, job),
    next: next ? new Date(next.at).toISOString() : null,
    waitsFor: [...(follows?.jobs ?? []), ...(follows?.datasets ?? [])],
    pause: pauseAt(pauses, job.name, start.id, now) ?? null,
  }
} // prettier-ignore

const iso = (time: number): string => new Date(Math.round(time)).toISOString()

const toldCrowd = ({ from, until, waiting }: Crowd) => ({
  from: iso(from),
  until: iso(until === Infinity ? from : until),
  waiting,
})

/** What was played, from a time on, as it is told. */
function told({ runs, busy, crowded, capped }: Rehearsed, byJob: ReadonlyMap<string, { readonly job: Job }>, from: number) {
  const places = new Int32Array(runs.length).fill(-1)
  let count = 0
  const shown = runs.filter(({ ends, at }, place) => {
    const there = Math.max(ends, at) >= from
    if (there) places[place] = count++
    return there
  })
  return {
    foreseen: shown.map(({ job: name, start, at, begins, ends, low, high, after, label, unknown, run, began, refused, stuck, givesUp }): ForeseenRun => {
      const job = byJob.get(name)?.job
      const [atText, endsText] = [iso(at), iso(ends)]
      return {
        job: name,
        start,
        unknown,
        refused,
        label: label ?? null,
        run: run ?? null,
        stuck: stuck === undefined ? null : 'words' in stuck ? stuck.words : (byJob.get(stuck.job)?.job.title ?? stuck.job),
        givesUp: givesUp === undefined ? null : iso(givesUp),
        at: atText,
        begins: begins === at ? atText : iso(begins),
        ends: endsText,
        low: low === ends ? endsText : iso(low),
        high: high === ends ? endsText : iso(high),
        after: after.length === 0 ? [] : after.flatMap((place) => (places[place]! < 0 ? [] : [places[place]!])),
        due: job?.due === undefined ? null : iso(dueBy(job.due, began ?? at, zoneOf(job))),
      }
    }),
    busy: busy.map(({ at, loads }) => ({ at: iso(at), loads })),
    crowded: crowded.map(toldCrowd),
    capped: capped.map((one) => ({ connection: one.connection, ...toldCrowd(one) })),
  }
} // prettier-ignore

/** Loads that the workers that are there run at once. */
async function capacityOf(engine: Engine): Promise<number> {
  const { rows } = await engine.db.$client.query<{ capacity: number }>(
    `select coalesce(sum(capacity), 0)::int as capacity from mattock.worker where beat_at > now() - interval '15 seconds' and not draining`,
  )
  return rows[0]!.capacity
}
