import { quantile } from '../forecast/quantile'
import { randomStream } from '../forecast/random'
import { Events } from './events'
import type {
  Crowd,
  EndedAs,
  Foreseen,
  Night,
  NightJob,
  NightSlice,
  NightWait,
  Rehearsed,
  Stuck,
} from './foreseen'

/** Draws that are worth their time. */
const drawsFor = (loads: number): number => Math.max(3, Math.min(21, Math.floor(60_000 / Math.max(1, loads))))

/**
 * Plays a night through: each start at its time, each load with a length drawn from those of like loads (a bootstrap
 * after Efron, 1979), taken up by list scheduling under the caps (Graham, 1969); what waits for a job or a dataset begins
 * when that is played to its end, and loads that wait for the slices of another job when that has played those. Loads fail where
 * they wait no longer, and what waits for them is not done; any other load ends well. The same night gives the same.
 */
export function rehearse(night: Night): Rehearsed {
  const loads = night.jobs.reduce((sum, job) => sum + job.times.length * job.parts.reduce((all, { loads: own }) => all + own, 0), 0) // prettier-ignore
  const draws = drawsFor(loads)
  const random = randomStream(loads + 1)
  const followers = followersOf(night.jobs)
  const played = Array.from({ length: draws }, () => playNight(night, followers, random))
  // the draw whose end is the middle one tells the order; ends are those of all draws
  const [first] = played
  const middle = [...played].sort((a, b) => total(a) - total(b))[draws >> 1] ?? first!
  const endsOf = new Map<string, number[]>()
  for (const { runs } of played)
    for (const one of runs) {
      const ends = endsOf.get(one.id)
      if (ends) ends.push(one.ends)
      else endsOf.set(one.id, [one.ends])
    }
  return {
    busy: middle.busy,
    crowded: middle.crowded,
    capped: middle.capped,
    runs: middle.runs.map(({ id, ...one }) => {
      const ends = endsOf.get(id)!.sort((a, b) => a - b)
      return { ...one, ends: quantile(ends, 0.5), low: quantile(ends, 0.1), high: quantile(ends, 0.9) }
    }),
  }
}

const total = ({ runs }: { readonly runs: readonly { ends: number }[] }): number =>
  runs.reduce((sum, { ends }) => sum + ends, 0)

const mostRuns = 50_000
const none: readonly string[] = []

/** A start that waits for a job: for its end, or for what it writes. */
interface Follower {
  readonly job: NightJob
  readonly start: string
  /** How many datasets must come before it begins; 0 where this one is enough. */
  readonly waitsForAll: number
  /** Those of them that the job writes. */
  readonly came: readonly string[]
  readonly as: EndedAs
}

/** For each job what waits for it. */
function followersOf(jobs: readonly NightJob[]): Map<string, Follower[]> {
  const found = new Map<string, Follower[]>()
  const add = (name: string, follower: Follower) => void (found.get(name)?.push(follower) ?? found.set(name, [follower]))
  const writers = new Map<string, string[]>()
  for (const { job, writes } of jobs)
    for (const dataset of writes) writers.set(dataset, [...(writers.get(dataset) ?? []), job])
  for (const job of jobs) for (const { start, jobs: after, datasets, all, as = 'done' } of job.follows) {
    for (const name of after ?? []) add(name, { job, start, waitsForAll: 0, came: [], as })
    const came = new Map<string, string[]>()
    for (const dataset of new Set(datasets)) for (const writer of writers.get(dataset) ?? []) came.set(writer, [...(came.get(writer) ?? []), dataset])
    for (const [writer, written] of came) add(writer, { job, start, waitsForAll: all ? new Set(datasets).size : 0, came: written, as: 'done' })
  }
  return found
} // prettier-ignore

const timeKey = (job: string, start: string, at: number): string => `${job} ${start} ${at}`

/** For each job that waits, part by part, the jobs whose slices its loads wait for. */
function waitedFor(jobs: readonly NightJob[]): Map<string, readonly (readonly string[])[]> {
  const known = new Set(jobs.map(({ job }) => job))
  const found = new Map<string, readonly (readonly string[])[]>()
  for (const { job, parts } of jobs) {
    if (parts.every(({ waitsFor }) => waitsFor === undefined)) continue
    const names = parts.map(({ waitsFor }) => {
      const writers = jobs.filter(({ writes }) => waitsFor?.datasets.some((dataset) => writes.includes(dataset))).map((other) => other.job)
      return [...new Set([...(waitsFor?.jobs ?? []), ...writers])].filter((name) => name !== job && known.has(name))
    })
    found.set(job, names)
  }
  return found
} // prettier-ignore

interface Going {
  readonly place: number
  readonly job: NightJob
  readonly left: number[]
  readonly running: number[]
  readonly open: boolean[]
  /** Of each part the sample by which its next load goes, where that was drawn and has not begun. */
  next: (number | undefined)[] | undefined
  /** Of each part the loads that wait for what is not there yet. */
  readonly held: number[] | undefined
  readonly waits: readonly NightWait[]
}

/** A run that may bring what another waits for; without a place it has still to come. */
interface Bringer {
  readonly job: string
  readonly place?: number
  readonly ended: boolean
}

const toCome = { ended: false }

interface PlayedRun extends Omit<Foreseen, 'low' | 'high' | 'after'> {
  readonly after: number[]
  /** The same in each draw. */
  readonly id: string
}

/** A load of a part, which used some connections, ends: most of what happens, so that it is no function of its own. */
interface LoadEnds {
  readonly one: Going
  readonly part: number
  readonly own: readonly string[]
}

type Changing<T> = { -readonly [K in keyof T]: T[K] }

function playNight({ from, until, jobs, running, workers, caps = {} }: Night, followers: ReadonlyMap<string, readonly Follower[]>, random: () => number) {
  const byName = new Map(jobs.map((job) => [job.job, job]))
  const waited = waitedFor(jobs)
  /** Runs that were taken up, by the time that they came at; what is not here has still to come. */
  const taken = new Map<string, { readonly place: number; ended: boolean }>()
  const goingOn: { readonly job: string; readonly place: number; ended: boolean }[] = []
  const runs: Changing<PlayedRun>[] = []
  const going = new Map<string, Going[]>()
  const queued = new Map<string, number[]>()
  const seen = new Map<string, Map<string, number>>()
  const counts = new Map<string, number>()
  const events = new Events<(() => void) | LoadEnds>()
  const busy: { at: number; loads: number }[] = []
  const crowded: Changing<Crowd>[] = []
  const capped: Changing<Crowd & { connection: string }>[] = []
  const stretches = new Map<string, Changing<Crowd & { connection: string }>>()
  const inUse = new Map<string, number>()
  const holding = running.some(({ waits }) => waits !== undefined && waits.length > 0)
  let free = workers
  let now = from
  const active: Going[] = []
  const slices = new Map<number, NightSlice>()
  const byPlace = new Map<number, { ended: boolean }>()

  for (const { job, run, began, left, waits } of running) {
    const known = byName.get(job)
    if (!known) continue
    const place = addRun(known, null, from, undefined, [], run, began)
    const one = { job, place, ended: false }
    goingOn.push(one)
    byPlace.set(place, one)
    begin(place, left, waits)
  }
  for (const job of jobs)
    for (const { start, at, label, slice } of job.times) events.add(at, () => come(job, start, label, [], slice))
  for (;;) {
    fill()
    const next = events.next()
    if (!next || next.at > until + 7 * 86_400_000) break
    now = next.at
    happen(next.what)
    // what happens at the same moment happens before anything else begins
    for (let same = events.at(now); same; same = events.at(now)) happen(same.what)
  }
  tellStuck()
  return { runs, busy, crowded, capped }

  function addRun(job: NightJob, start: string | null, at: number, label: string | undefined, after: number[], run?: number, began?: number): number {
    const name = `${job.job} ${start ?? run}`
    const count = (counts.get(name) ?? 0) + 1
    counts.set(name, count)
    const unknown = job.parts.every(({ lengths }) => lengths.length === 0)
    return runs.push({ id: `${name} ${count}`, job: job.job, start, label, at, begins: at, ends: at, after, unknown, run, began, refused: false }) - 1
  }

  function happen(what: (() => void) | LoadEnds): void {
    if (typeof what === 'function') return what()
    const { one, part, own } = what
    one.running[part]!--
    free++
    for (const name of own) inUse.set(name, inUse.get(name)! - 1)
    if (one.left[part] === 0 && one.running[part] === 0) advance(one)
  }

  /** A start comes: it begins, waits for the run before it, or is left out, as its job says. */
  function come(job: NightJob, start: string, label: string | undefined, after: number[], slice?: NightSlice): void {
    // what would begin after the night is not looked at, nor jobs that start each other for ever
    if (now > until || runs.length >= mostRuns) return
    const place = addRun(job, start, now, label, after)
    if (slice) slices.set(place, slice)
    const one = { place, ended: false }
    if (waited.size > 0 || holding) {
      taken.set(timeKey(job.job, start, now), one)
      byPlace.set(place, one)
    }
    const others = (going.get(job.job) ?? []).length > 0
    if (!others || job.atOnceRuns === 'beside') return begin(place)
    if (job.atOnceRuns === 'refuse') one.ended = runs[place]!.refused = true
    else queued.set(job.job, [...(queued.get(job.job) ?? []), place])
  }

  function begin(place: number, left?: readonly number[], waits: readonly NightWait[] = []): void {
    const run = runs[place]!
    const job = byName.get(run.job)!
    const held = waits.length === 0 ? undefined : job.parts.map((_part, part) => Math.min(left?.[part] ?? 0, Math.max(0, ...waits.filter((wait) => wait.part === part).map(({ loads }) => loads))))
    const one: Going = { place, job, left: job.parts.map(({ loads }, part) => (left?.[part] ?? loads) - (held?.[part] ?? 0)), running: job.parts.map(() => 0), open: job.parts.map(() => false), next: undefined, held, waits }
    const beside = going.get(run.job)
    if (beside) beside.push(one)
    else going.set(run.job, [one])
    run.begins = now
    active.push(one)
    for (const [part, { atMost, waitsFor }] of job.parts.entries())
      if (atMost !== undefined && waitsFor && !left) events.add(Math.max(now, run.at + atMost), () => letGo(one, part))
    for (const wait of waits)
      if (wait.givesUp !== undefined) events.add(Math.max(now, wait.givesUp), () => letGoHeld(one, wait))
    advance(one)
  }

  /** Loads of a part that has not begun wait no longer, where what they wait for is not there. */
  function letGo(one: Going, part: number): void {
    if (one.open[part] || !active.includes(one)) return
    const other = othersBefore(one, part).find(({ ended }) => !ended)
    if (!other) return
    one.left[part] = 0
    one.open[part] = true
    giveUp(one, part, { job: other.job })
  }

  /** The same of loads that waited before the night. */
  function letGoHeld(one: Going, wait: NightWait): void {
    if (!one.held?.[wait.part] || isThere(one, wait)) return
    const other = bringers(one, wait).find(({ ended }) => !ended)
    one.held[wait.part] = 0
    giveUp(one, wait.part, other ? { job: other.job } : { words: wait.words })
  }

  /** Loads of a part have failed, and what waits for them is not done. */
  function giveUp(one: Going, part: number, stuck: Stuck): void {
    const run = runs[one.place]!
    run.givesUp ??= now
    run.stuck ??= stuck
    const without = (failed: number) =>
      one.job.parts.forEach(({ waits, anyway }, at) => {
        if (one.open[at] || anyway || !waits.includes(failed)) return
        one.left[at] = 0
        if (one.held) one.held[at] = 0
        one.open[at] = true
        without(at)
      })
    without(part)
    advance(one)
  }

  /** Opens the parts whose turn has come, lets go loads for which all is there; ends the run when none is left. */
  function advance(one: Going): void {
    const isDone = (part: number) => one.open[part]! && one.left[part] === 0 && one.running[part] === 0 && !one.held?.[part]
    for (let moved = true; moved; ) {
      moved = false
      one.job.parts.forEach(({ waits }, part) => {
        if (one.held?.[part] && one.waits.every((wait) => wait.part !== part || isThere(one, wait))) {
          one.left[part]! += one.held[part]
          one.held[part] = 0
          moved = true
        }
        if (one.open[part] || !waits.every(isDone)) return
        const others = othersBefore(one, part)
        if (others.some(({ ended }) => !ended)) return
        const run = runs[one.place]!
        // what it waited for is what it begins after
        run.after.push(...others.flatMap(({ place }) => (place !== undefined && runs[place]!.ends > run.at && !run.after.includes(place) ? place : [])))
        if (!one.open.includes(true)) run.begins = now
        moved = one.open[part] = true
      })
    }
    if (one.job.parts.every((_part, part) => isDone(part))) endRun(one)
  }

  /** The runs that may bring what loads wait for. */
  function bringers(one: Going, { by }: NightWait): Bringer[] {
    return by.flatMap(({ job: name, slice: wanted }) => [
      ...goingOn.filter(({ job, place }) => job === name && place !== one.place),
      ...(byName.get(name)?.times ?? []).flatMap(({ start, at, slice }) =>
        !wanted || (slice && slice.from < wanted.to && slice.to > wanted.from) ? { job: name, ...(taken.get(timeKey(name, start, at)) ?? toCome) } : [],
      ),
    ])
  }

  function isThere(one: Going, wait: NightWait): boolean {
    const others = bringers(one, wait)
    return others.length > 0 && others.every(({ ended }) => ended)
  }

  /** Runs that nothing lets end, each with why: what it waits for, or the job that it waits for. */
  function tellStuck(): void {
    const tell = (place: number, stuck: Stuck) => {
      const run = runs[place]!
      run.ends = Math.max(run.ends, until)
      run.stuck = stuck
    }
    for (const one of active) {
      const wait = one.waits.find((each) => one.held?.[each.part] && !isThere(one, each))
      const brings = wait && bringers(one, wait).find(({ ended }) => !ended)
      const before = brings ?? one.job.parts.flatMap((_part, part) => (one.open[part] ? [] : othersBefore(one, part))).find(({ ended }) => !ended)
      if (wait && !brings) tell(one.place, { words: wait.words })
      else if (before?.place !== undefined) tell(one.place, { job: before.job })
    }
    for (const [job, places] of queued) for (const place of places) tell(place, { job })
  }

  /** The runs of other jobs that loads of a part wait for: those that take slices that meet its own, and those that go on since before. */
  function othersBefore(one: Going, part: number): Bringer[] {
    const own = slices.get(one.place)
    return (waited.get(one.job.job)?.[part] ?? []).flatMap((name) => [
      ...goingOn.filter(({ job }) => job === name),
      ...(own ? byName.get(name)!.times : []).flatMap(({ start, at, slice }) =>
        slice && slice.from < own!.to && slice.to > own!.from ? { job: name, ...(taken.get(timeKey(name, start, at)) ?? toCome) } : [],
      ),
    ])
  }

  function endRun(one: Going): void {
    const run = runs[one.place]!
    run.ends = now
    const failed = run.givesUp !== undefined
    // who waits for it waits on
    const known = failed ? undefined : byPlace.get(one.place)
    if (known) known.ended = true
    active.splice(active.indexOf(one), 1)
    const beside = going.get(run.job)!
    beside.splice(beside.indexOf(one), 1)
    const [next, ...rest] = queued.get(run.job) ?? []
    if (next !== undefined && beside.length === 0) {
      queued.set(run.job, rest)
      begin(next)
    }
    if (waited.size > 0 || holding) for (const other of [...active]) {
      const waits = other.waits.length > 0 || waited.get(other.job.job)?.some((names) => names.includes(run.job))
      if (waits && active.includes(other)) advance(other)
    }
    for (const { job, start, waitsForAll, came, as } of followers.get(run.job) ?? []) {
      if (as !== 'ended' && (as === 'failed') !== failed) continue
      if (!waitsForAll) events.add(now, () => come(job, start, undefined, [one.place]))
      else {
        const key = `${job.job} ${start}`
        const there = seen.get(key) ?? new Map<string, number>()
        for (const dataset of came) there.set(dataset, one.place)
        seen.set(key, there)
        if (there.size < waitsForAll) continue
        seen.delete(key)
        const after = [...new Set(there.values())]
        events.add(now, () => come(job, start, undefined, after))
      }
    }
  }

  /** Begins loads as long as there is room; those of earlier runs first. */
  function fill(): void {
    let waiting = 0
    const full = new Map<string, number>()
    for (const one of active) for (let part = 0; part < one.left.length; part++) {
      const { atOnce, lengths, uses } = one.job.parts[part]!
      const more = () => one.open[part]! && one.left[part]! > 0 && one.running[part]! < atOnce
      while (more() && free > 0) {
        const sample = one.next?.[part] ?? (lengths.length === 0 ? 0 : Math.floor(random() * lengths.length))
        const own = uses?.[sample] ?? none
        const held = own.find((name) => (inUse.get(name) ?? 0) >= (caps[name] ?? Infinity))
        if (held !== undefined) {
          // the same goes on when there is room
          ;(one.next ??= [])[part] = sample
          full.set(held, (full.get(held) ?? 0) + Math.min(one.left[part]!, atOnce - one.running[part]!))
          break
        }
        if (one.next) one.next[part] = undefined
        one.left[part]!--
        one.running[part]!++
        free--
        for (const name of own) inUse.set(name, (inUse.get(name) ?? 0) + 1)
        events.add(now + (lengths[sample] ?? 0), { one, part, own })
      }
      if (more() && free === 0) waiting += Math.min(one.left[part]!, atOnce - one.running[part]!)
    }
    note(workers - free, waiting)
    noteCapped(full)
  }

  function noteCapped(full: ReadonlyMap<string, number>): void {
    for (const [connection, stretch] of stretches) {
      if (full.has(connection)) continue
      stretch.until = now
      stretches.delete(connection)
    }
    for (const [connection, waiting] of full) {
      const known = stretches.get(connection)
      if (known) known.waiting = Math.max(known.waiting, waiting)
      else {
        const stretch = { connection, from: now, until: Infinity, waiting }
        stretches.set(connection, stretch)
        capped.push(stretch)
      }
    }
  }

  function note(loads: number, waiting: number): void {
    const last = busy.at(-1)
    if (last?.at === now) last.loads = loads
    else if (last?.loads !== loads) busy.push({ at: now, loads })
    const open = crowded.at(-1)
    if (open && open.until === Infinity && waiting === 0) open.until = now
    else if (waiting > 0 && (!open || open.until !== Infinity)) crowded.push({ from: now, until: Infinity, waiting })
    else if (waiting > 0) open!.waiting = Math.max(open!.waiting, waiting)
  }
} // prettier-ignore
