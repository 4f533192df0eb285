import { groupBy } from '../group'
import type { NightJob, NightRun, NightSlice } from './foreseen'

/** A run that may bring what others wait for; without a place it has still to come. */
export interface Bringer {
  readonly job: string
  readonly slice: NightSlice | undefined
  place: number | undefined
  /** In which order the bringers ended; undefined as long as it has not, and where it failed. */
  ended: number | undefined
  readonly among: Source[]
}

/** Bringers that are waited for together: those of a job that meet a slice, or its runs that go on since before. */
interface Source {
  readonly members: readonly Bringer[]
  /** Those that have not ended. */
  left: number
  /** The one that ended last. */
  last: Bringer | undefined
  /** Runs that wait for it, by their places. */
  waiters: number[]
}

/** What one run waits for: it is there when all have ended, apart from the run's own. */
interface Awaited {
  readonly source: Source
  readonly own: Bringer | undefined
}

/** All that loads of a run wait for. */
export type Wait = readonly Awaited[]

/** The bringers of a job in the order in which their slices begin, and the latest end of those up to each. */
interface BySlice {
  readonly sorted: readonly Bringer[]
  readonly latest: readonly number[]
}

/**
 * Who brings what loads wait for, in a night that is played several times. A run that ends is counted off where it is
 * waited for, so that nobody looks through the runs of a job again.
 */
export class Bringers {
  /** Of each job that is waited for, a bringer for each time of its, in their order. */
  private readonly times = new Map<string, readonly Bringer[]>()
  private readonly bySlice = new Map<string, BySlice>()
  /** Those that go on since before, by their place among the running. */
  readonly goingOn: ReadonlyMap<number, Bringer>
  private readonly goingOnOf: ReadonlyMap<string, Source>
  private readonly sources: Source[] = []
  /** By job, and by the slice that is met, itself and as a text. */
  private readonly meetings = new Map<string, Map<NightSlice | string, Source | undefined>>()
  private count = 0
  /** Jobs that parts wait for, by job and part; of jobs that wait for nothing there is none. */
  private readonly waited: ReadonlyMap<string, readonly (readonly string[])[]>

  constructor(jobs: readonly NightJob[], running: readonly NightRun[]) {
    this.waited = waitedFor(jobs)
    const names = new Set([
      ...[...this.waited.values()].flat(2),
      ...running.flatMap(({ waits }) => waits ?? []).flatMap(({ by }) => by.map(({ job }) => job)),
    ])
    for (const { job, times } of jobs)
      if (names.has(job))
        this.times.set(
          job,
          times.map(({ slice }) => bringer(job, slice)),
        )
    this.goingOn = new Map(
      running.flatMap(({ job }, at) => (names.has(job) ? [[at, bringer(job, undefined)]] : [])),
    )
    this.goingOnOf = new Map(
      [...groupBy(this.goingOn.values(), ({ job }) => job)].map(([job, members]) => [
        job,
        this.source(members),
      ]),
    )
  }

  /** Forgets what was played. */
  reset(): void {
    this.count = 0
    for (const one of [...[...this.times.values()].flat(), ...this.goingOn.values()])
      one.place = one.ended = undefined
    for (const source of this.sources) {
      source.left = source.members.length
      source.last = undefined
      source.waiters = []
    }
  }

  /** The bringer of a time of a job; undefined where nobody waits for it. */
  ofTime(job: string, time: number): Bringer | undefined {
    return this.times.get(job)?.[time]
  }

  /** What a part of a run waits for, where its run takes a slice; undefined where it waits for nothing. */
  ofPart(job: string, part: number, slice: NightSlice | undefined): Wait | undefined {
    const names = this.waited.get(job)?.[part]
    return names && names.length > 0 ? names.flatMap((name) => this.of(name, slice ?? 'none')) : undefined
  }

  /** What loads wait for that jobs bring: of a slice, or any of their runs. `own` is the run itself where it goes on since before. */
  ofJobs(
    by: readonly { readonly job: string; readonly slice?: NightSlice | undefined }[],
    own: Bringer | undefined,
  ): Wait {
    return by.flatMap(({ job, slice }) => this.of(job, slice ?? 'all', own))
  }

  private of(job: string, slice: NightSlice | 'all' | 'none', own?: Bringer): Awaited[] {
    const before = this.goingOnOf.get(job)
    const meeting = this.meeting(job, slice)
    return [
      ...(before ? [{ source: before, own: own?.job === job ? own : undefined }] : []),
      ...(meeting ? [{ source: meeting, own: undefined }] : []),
    ]
  }

  /** The bringers of a job whose slices meet one. Each is found once. */
  private meeting(job: string, slice: NightSlice | 'all' | 'none'): Source | undefined {
    let known = this.meetings.get(job)
    if (!known) this.meetings.set(job, (known = new Map()))
    if (known.has(slice)) return known.get(slice)
    const key = typeof slice === 'string' ? slice : `${slice.from} ${slice.to}`
    const like = known.get(key)
    if (like || known.has(key)) {
      known.set(slice, like)
      return like
    }
    const members =
      slice === 'none' ? [] : slice === 'all' ? (this.times.get(job) ?? []) : this.meets(job, slice)
    const made = members.length === 0 ? undefined : this.source(members)
    known.set(key, made)
    known.set(slice, made)
    return made
  }

  private meets(job: string, slice: NightSlice): Bringer[] {
    const { sorted, latest } = this.index(job)
    let low = 0
    for (let high = sorted.length; low < high;) {
      const middle = (low + high) >> 1
      if (sorted[middle]!.slice!.from < slice.to) low = middle + 1
      else high = middle
    }
    const found: Bringer[] = []
    for (let at = low - 1; at >= 0 && latest[at]! > slice.from; at--)
      if (sorted[at]!.slice!.to > slice.from) found.push(sorted[at]!)
    return found.reverse()
  }

  private index(job: string): BySlice {
    const known = this.bySlice.get(job)
    if (known) return known
    const sorted = (this.times.get(job) ?? [])
      .filter(({ slice }) => slice)
      .sort((a, b) => a.slice!.from - b.slice!.from)
    let most = -Infinity
    const made = { sorted, latest: sorted.map(({ slice }) => (most = Math.max(most, slice!.to))) }
    this.bySlice.set(job, made)
    return made
  }

  private source(members: readonly Bringer[]): Source {
    const ended = members.filter((one) => one.ended !== undefined)
    const last = ended.sort((a, b) => a.ended! - b.ended!).at(-1)
    const made: Source = { members, left: members.length - ended.length, last, waiters: [] }
    for (const one of members) one.among.push(made)
    this.sources.push(made)
    return made
  }

  /** One has ended well, or needs nobody to wait for it. Returns the places of the runs that may go on. */
  end(one: Bringer): number[] {
    if (one.ended !== undefined) return []
    one.ended = this.count++
    return one.among.flatMap((source) => {
      source.left--
      source.last = one
      // a run may be the one of them that is left itself
      return source.left <= 1 ? source.waiters : []
    })
  }

  /** A run is told of when what it waits for ends. */
  listen(wait: Wait, place: number): void {
    for (const { source } of wait) source.waiters.push(place)
  }
}

const bringer = (job: string, slice: NightSlice | undefined): Bringer => ({
  job,
  slice,
  place: undefined,
  ended: undefined,
  among: [],
})

/** Have all ended that bring it? Of nobody, too. */
export const haveEnded = (wait: Wait): boolean =>
  wait.every(({ source, own }) => source.left === (own && own.ended === undefined ? 1 : 0))

/** Is there anybody that brings it? */
export const hasBringers = (wait: Wait): boolean =>
  wait.some(({ source, own }) => source.members.length > (own ? 1 : 0))

/** The first that has not ended. */
export function stillToEnd(wait: Wait): Bringer | undefined {
  for (const { source, own } of wait) {
    const found =
      source.left === 0 ? undefined : source.members.find((one) => one !== own && one.ended === undefined)
    if (found) return found
  }
  return undefined
}

/** The places of those that ended last, one of each job. */
export const lastToEnd = (wait: Wait): number[] => wait.flatMap(({ source }) => source.last?.place ?? [])

/** For each job that waits, part by part, the jobs whose slices its loads wait for. */
function waitedFor(jobs: readonly NightJob[]): Map<string, readonly (readonly string[])[]> {
  const known = new Set(jobs.map(({ job }) => job))
  const writers = groupBy(
    jobs.flatMap(({ job, writes }) => writes.map((dataset) => ({ job, dataset }))),
    ({ dataset }) => dataset,
  )
  const found = new Map<string, readonly (readonly string[])[]>()
  for (const { job, parts } of jobs) {
    if (parts.every(({ waitsFor }) => waitsFor === undefined)) continue
    const names = parts.map(({ waitsFor }) => {
      const brought = (waitsFor?.datasets ?? [])
        .flatMap((dataset) => writers.get(dataset) ?? [])
        .map((one) => one.job)
      return [...new Set([...(waitsFor?.jobs ?? []), ...brought])].filter(
        (name) => name !== job && known.has(name),
      )
    })
    found.set(job, names)
  }
  return found
}
