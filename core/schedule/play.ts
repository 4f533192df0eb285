import { Bringers, hasBringers, haveEnded, lastToEnd, stillToEnd, type Bringer, type Wait } from './bringers'
import { Events } from './events'
import type { Crowd, EndedAs, Foreseen, Night, NightJob, NightSlice, NightWait, Stuck } from './foreseen'
import { Room, type Lane } from './room'

/** Runs that begin after others, at most: jobs that start each other would go on for ever. */
const mostFollowing = 50_000
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
  const add = (name: string, follower: Follower) =>
    void (found.get(name)?.push(follower) ?? found.set(name, [follower]))
  const writers = new Map<string, string[]>()
  for (const { job, writes } of jobs)
    for (const dataset of writes) void (writers.get(dataset)?.push(job) ?? writers.set(dataset, [job]))
  for (const job of jobs)
    for (const { start, jobs: after, datasets, all, as = 'done' } of job.follows) {
      for (const name of after ?? []) add(name, { job, start, waitsForAll: 0, came: [], as })
      const came = new Map<string, string[]>()
      for (const dataset of new Set(datasets))
        for (const writer of writers.get(dataset) ?? [])
          came.set(writer, [...(came.get(writer) ?? []), dataset])
      for (const [writer, written] of came)
        add(writer, { job, start, waitsForAll: all ? new Set(datasets).size : 0, came: written, as: 'done' })
    }
  return found
}

/** A run that is played. */
export interface PlayedRun extends Omit<Foreseen, 'low' | 'high' | 'after'> {
  readonly after: readonly number[]
  /** The same each time the night is played. */
  readonly id: string
}

export interface Played {
  readonly runs: readonly PlayedRun[]
  readonly busy: readonly { readonly at: number; readonly loads: number }[]
  readonly crowded: readonly Crowd[]
  readonly capped: readonly (Crowd & { readonly connection: string })[]
}

type Changing<T> = { -readonly [K in keyof T]: T[K] }
interface ChangingRun extends Changing<Omit<PlayedRun, 'after'>> {
  readonly after: number[]
}

/** A run that goes on. */
interface Going {
  readonly place: number
  readonly run: ChangingRun
  readonly job: NightJob
  readonly parts: PartGoing[]
  /** It goes on since before the night: what its loads wait for is in `held`. */
  readonly isOld: boolean
  /** What loads of it waited for before the night, and wait for still. */
  readonly held: readonly Held[]
}

interface PartGoing extends Lane {
  readonly one: Going
  readonly part: number
  left: number
  running: number
  open: boolean
  /** Loads that wait for what is not there yet. */
  held: number
  /** The sample by which its next load goes, where that was drawn and has not begun. */
  next: number | undefined
  /** What its loads wait for, once all parts before it are done. */
  wait: Wait | undefined
}

interface Held {
  readonly what: NightWait
  readonly wait: Wait
}

/** A load of a part, which used some connections, ends: most of what happens, so that it is no function of its own. */
interface LoadEnds {
  readonly lane: PartGoing
  readonly own: readonly string[]
}

const isThere = ({ wait }: Held): boolean => hasBringers(wait) && haveEnded(wait)
const isDone = (lane: PartGoing): boolean =>
  lane.open && lane.left === 0 && lane.running === 0 && lane.held === 0

/** What is the same each time a night is played. */
export class Stage {
  readonly byName: ReadonlyMap<string, NightJob>
  readonly followers: ReadonlyMap<string, readonly Follower[]>
  readonly bringers: Bringers

  constructor(readonly night: Night) {
    this.byName = new Map(night.jobs.map((job) => [job.job, job]))
    this.followers = followersOf(night.jobs)
    this.bringers = new Bringers(night.jobs, night.running)
  }

  play(random: () => number): Played {
    this.bringers.reset()
    return new Play(this, random).play()
  }
}

/** A night that is played once. */
class Play {
  private readonly runs: ChangingRun[] = []
  /** Those that go on, in the order in which they began, by their places. */
  private readonly active = new Map<number, Going>()
  /** How many runs of each job go on. */
  private readonly beside = new Map<string, number>()
  private readonly queued = new Map<string, number[]>()
  private readonly slices = new Map<number, NightSlice>()
  private readonly byPlace = new Map<number, Bringer>()
  /** The datasets that came for each start that waits for several, with the run that brought each. */
  private readonly seen = new Map<string, Map<string, number>>()
  private readonly counts = new Map<string, number>()
  private readonly events = new Events<(() => void) | LoadEnds>()
  private readonly room: Room<PartGoing>
  private readonly busy: { at: number; loads: number }[] = []
  private readonly crowded: Changing<Crowd>[] = []
  private readonly capped: Changing<Crowd & { connection: string }>[] = []
  private readonly stretches = new Map<string, Changing<Crowd>>()
  private begun = 0
  private following = 0
  private now: number

  constructor(
    private readonly stage: Stage,
    private readonly random: () => number,
  ) {
    const { night } = stage
    this.now = night.from
    this.room = new Room(night.workers, night.caps ?? {})
  }

  play(): Played {
    const { night, byName, bringers } = this.stage
    for (const [at, { job, run, began, left, waits }] of night.running.entries()) {
      const known = byName.get(job)
      if (!known) continue
      const place = this.addRun(known, null, night.from, undefined, [], run, began)
      this.brings(place, bringers.goingOn.get(at))
      this.begin(place, left, waits)
    }
    for (const job of night.jobs)
      for (const [time, { start, at, label, slice }] of job.times.entries())
        this.events.add(at, () => this.come(job, start, label, [], slice, bringers.ofTime(job.job, time)))
    for (;;) {
      this.fill()
      const next = this.events.next()
      if (!next || next.at > night.until + 7 * 86_400_000) break
      this.now = next.at
      this.happen(next.what)
      // what happens at the same moment happens before anything else begins
      for (let same = this.events.at(this.now); same; same = this.events.at(this.now)) this.happen(same.what)
    }
    this.tellStuck()
    return { runs: this.runs, busy: this.busy, crowded: this.crowded, capped: this.capped }
  }

  private addRun(
    job: NightJob,
    start: string | null,
    at: number,
    label: string | undefined,
    after: number[],
    run?: number,
    began?: number,
  ): number {
    const name = `${job.job} ${start ?? run}`
    const count = (this.counts.get(name) ?? 0) + 1
    this.counts.set(name, count)
    const unknown = job.parts.every(({ lengths }) => lengths.length === 0)
    return (
      this.runs.push({
        id: `${name} ${count}`,
        job: job.job,
        start,
        label,
        at,
        begins: at,
        ends: at,
        after,
        unknown,
        run,
        began,
        refused: false,
      }) - 1
    )
  }

  private brings(place: number, bringer: Bringer | undefined): void {
    if (!bringer) return
    bringer.place = place
    this.byPlace.set(place, bringer)
  }

  private happen(what: (() => void) | LoadEnds): void {
    if (typeof what === 'function') return what()
    const { lane, own } = what
    lane.running--
    this.room.give(own)
    this.want(lane)
    if (lane.left === 0 && lane.running === 0) this.advance(lane.one)
  }

  /** A start comes: it begins, waits for the run before it, or is left out, as its job says. */
  private come(
    job: NightJob,
    start: string,
    label: string | undefined,
    after: number[],
    slice?: NightSlice,
    bringer?: Bringer,
  ): void {
    // what would begin after the night is not looked at
    if (this.now > this.stage.night.until) return
    if (after.length > 0 && ++this.following > mostFollowing) return
    const place = this.addRun(job, start, this.now, label, after)
    if (slice) this.slices.set(place, slice)
    this.brings(place, bringer)
    const others = (this.beside.get(job.job) ?? 0) > 0
    if (!others || job.atOnceRuns === 'beside') return this.begin(place)
    if (job.atOnceRuns === 'refuse') {
      this.runs[place]!.refused = true
      if (bringer) this.wake(this.stage.bringers.end(bringer))
    } else void (this.queued.get(job.job)?.push(place) ?? this.queued.set(job.job, [place]))
  }

  private begin(place: number, left?: readonly number[], waits: readonly NightWait[] = []): void {
    const { bringers, byName } = this.stage
    const run = this.runs[place]!
    const job = byName.get(run.job)!
    const own = this.byPlace.get(place)
    const held = waits.map((what): Held => ({ what, wait: bringers.ofJobs(what.by, own) }))
    const one: Going = { place, run, job, parts: [], isOld: left !== undefined, held }
    for (const [part, { loads }] of job.parts.entries()) {
      const all = left?.[part] ?? loads
      const heldLoads = Math.min(
        left?.[part] ?? 0,
        waits.reduce((most, wait) => (wait.part === part ? Math.max(most, wait.loads) : most), 0),
      )
      one.parts.push({
        one,
        part,
        left: all - heldLoads,
        running: 0,
        open: false,
        held: heldLoads,
        next: undefined,
        wait: undefined,
        order: this.begun++,
        wanted: 0,
        at: undefined,
      })
    }
    this.beside.set(run.job, (this.beside.get(run.job) ?? 0) + 1)
    run.begins = this.now
    this.active.set(place, one)
    for (const [part, { atMost, waitsFor }] of job.parts.entries())
      if (atMost !== undefined && waitsFor && !left)
        this.events.add(Math.max(this.now, run.at + atMost), () => this.letGo(one, part))
    for (const each of held) {
      bringers.listen(each.wait, place)
      if (each.what.givesUp !== undefined)
        this.events.add(Math.max(this.now, each.what.givesUp), () => this.letGoHeld(one, each))
    }
    this.advance(one)
  }

  /** What a part waits for, listened to from the first time that it is asked. */
  private waitOf(lane: PartGoing): Wait {
    if (lane.wait) return lane.wait
    const { one, part } = lane
    const { bringers } = this.stage
    lane.wait = (one.isOld ? undefined : bringers.ofPart(one.job.job, part, this.slices.get(one.place))) ?? []
    bringers.listen(lane.wait, one.place)
    return lane.wait
  }

  /** Loads of a part that has not begun wait no longer, where what they wait for is not there. */
  private letGo(one: Going, part: number): void {
    const lane = one.parts[part]!
    if (lane.open || !this.active.has(one.place)) return
    const other = stillToEnd(this.waitOf(lane))
    if (!other) return
    this.leaveOut(lane)
    this.giveUp(one, part, { job: other.job })
  }

  /** The same of loads that waited before the night. */
  private letGoHeld(one: Going, each: Held): void {
    const lane = one.parts[each.what.part]
    if (!lane?.held || isThere(each)) return
    const other = stillToEnd(each.wait)
    lane.held = 0
    this.giveUp(one, each.what.part, other ? { job: other.job } : { words: each.what.words })
  }

  private leaveOut(lane: PartGoing): void {
    lane.left = 0
    lane.open = true
    this.want(lane)
  }

  /** Loads of a part have failed, and what waits for them is not done. */
  private giveUp(one: Going, part: number, stuck: Stuck): void {
    one.run.givesUp ??= this.now
    one.run.stuck ??= stuck
    const without = (failed: number) => {
      for (const [at, { waits, anyway }] of one.job.parts.entries()) {
        const lane = one.parts[at]!
        if (lane.open || anyway || !waits.includes(failed)) continue
        lane.held = 0
        this.leaveOut(lane)
        without(at)
      }
    }
    without(part)
    this.advance(one)
  }

  /** Opens the parts whose turn has come, lets go loads for which all is there; ends the run when none is left. */
  private advance(one: Going): void {
    for (let moved = true; moved;) {
      moved = false
      for (const lane of one.parts) {
        if (lane.held > 0 && one.held.every((each) => each.what.part !== lane.part || isThere(each))) {
          lane.left += lane.held
          lane.held = 0
          this.want(lane)
          moved = true
        }
        if (lane.open || !one.job.parts[lane.part]!.waits.every((before) => isDone(one.parts[before]!)))
          continue
        const wait = this.waitOf(lane)
        if (!haveEnded(wait)) continue
        const { run } = one
        // what it waited for is what it begins after
        for (const place of lastToEnd(wait))
          if (this.runs[place]!.ends > run.at && !run.after.includes(place)) run.after.push(place)
        if (!one.parts.some(({ open }) => open)) run.begins = this.now
        lane.open = true
        this.want(lane)
        moved = true
      }
    }
    if (one.parts.every(isDone)) this.endRun(one)
  }

  private endRun(one: Going): void {
    const { run, place } = one
    run.ends = this.now
    const failed = run.givesUp !== undefined
    this.active.delete(place)
    // who waits for one that failed waits on
    const bringer = failed ? undefined : this.byPlace.get(place)
    const woken = bringer ? this.stage.bringers.end(bringer) : []
    const beside = this.beside.get(run.job)! - 1
    this.beside.set(run.job, beside)
    const next = beside === 0 ? this.queued.get(run.job)?.shift() : undefined
    if (next !== undefined) this.begin(next)
    this.wake(woken)
    for (const follower of this.stage.followers.get(run.job) ?? [])
      if (follower.as === 'ended' || (follower.as === 'failed') === failed) this.follow(follower, place)
  }

  private wake(places: readonly number[]): void {
    for (const place of places) {
      const one = this.active.get(place)
      if (one) this.advance(one)
    }
  }

  private follow({ job, start, waitsForAll, came }: Follower, place: number): void {
    const begins = (after: number[]) =>
      this.events.add(this.now, () => this.come(job, start, undefined, after))
    if (!waitsForAll) return begins([place])
    const key = `${job.job} ${start}`
    const there = this.seen.get(key) ?? new Map<string, number>()
    for (const dataset of came) there.set(dataset, place)
    this.seen.set(key, there)
    if (there.size < waitsForAll) return
    this.seen.delete(key)
    begins([...new Set(there.values())])
  }

  /** Runs that nothing lets end, each with why: what it waits for, or the job that it waits for. */
  private tellStuck(): void {
    const tell = (run: ChangingRun, stuck: Stuck) => {
      run.ends = Math.max(run.ends, this.stage.night.until)
      run.stuck = stuck
    }
    for (const { run, parts, held } of this.active.values()) {
      const each = held.find((one) => parts[one.what.part]?.held && !isThere(one))
      const brings = each && stillToEnd(each.wait)
      if (each && !brings) {
        tell(run, { words: each.what.words })
        continue
      }
      const before =
        brings ?? parts.flatMap((lane) => (lane.open ? [] : (stillToEnd(this.waitOf(lane)) ?? [])))[0]
      if (before?.place !== undefined) tell(run, { job: before.job })
    }
    for (const [job, places] of this.queued) for (const place of places) tell(this.runs[place]!, { job })
  }

  /** Tells the room how many loads of a part would begin now. */
  private want(lane: PartGoing): void {
    const { atOnce } = lane.one.job.parts[lane.part]!
    this.room.want(lane, lane.open ? Math.max(0, Math.min(lane.left, atOnce - lane.running)) : 0)
  }

  /** Begins loads as long as there is room; those of earlier runs first. */
  private fill(): void {
    const { room, random } = this
    for (let lane = room.next(); lane; lane = room.next()) {
      const { lengths, uses } = lane.one.job.parts[lane.part]!
      while (lane.wanted > 0 && room.free > 0) {
        const sample = lane.next ?? (lengths.length === 0 ? 0 : Math.floor(random() * lengths.length))
        const own = uses?.[sample] ?? none
        const full = room.full(own)
        // the same goes on when there is room
        lane.next = full === undefined ? undefined : sample
        if (full !== undefined) {
          room.wait(lane, full)
          break
        }
        lane.left--
        lane.running++
        // it stands in no queue meanwhile
        lane.wanted--
        room.take(own)
        this.events.add(this.now + (lengths[sample] ?? 0), { lane, own })
      }
      if (lane.at === undefined && lane.wanted > 0) room.wait(lane)
    }
    this.note(this.stage.night.workers - room.free, room.crowd())
    this.noteCapped(new Map(room.capped()))
  }

  private noteCapped(full: ReadonlyMap<string, number>): void {
    for (const [connection, stretch] of this.stretches) {
      if (full.has(connection)) continue
      stretch.until = this.now
      this.stretches.delete(connection)
    }
    for (const [connection, waiting] of full) {
      const known = this.stretches.get(connection)
      if (known) known.waiting = Math.max(known.waiting, waiting)
      else {
        const stretch = { connection, from: this.now, until: Infinity, waiting }
        this.stretches.set(connection, stretch)
        this.capped.push(stretch)
      }
    }
  }

  private note(loads: number, waiting: number): void {
    const { busy, crowded, now } = this
    const last = busy.at(-1)
    if (last?.at === now) last.loads = loads
    else if (last?.loads !== loads) busy.push({ at: now, loads })
    const open = crowded.at(-1)
    if (open && open.until === Infinity && waiting === 0) open.until = now
    else if (waiting > 0 && (!open || open.until !== Infinity))
      crowded.push({ from: now, until: Infinity, waiting })
    else if (waiting > 0) open!.waiting = Math.max(open!.waiting, waiting)
  }
}
