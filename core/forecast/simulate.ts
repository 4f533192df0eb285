import { Heap } from '../heap'
/** A queue of work to be played through: items in the order in which they would be taken. */
export interface Queue {
  /** Length of each item, in any unit of time. */
  readonly durations: ArrayLike<number>
  /** Number of the set of lanes that each item uses. */
  readonly sets: ArrayLike<number>
  /** The lanes of each set: an item holds one place in each of them while it runs. */
  readonly laneSets: readonly (readonly number[])[]
  /** The stage of each item, ascending. */
  readonly stages?: ArrayLike<number>
  /** For each stage those that must be done before its items start; the one before it where nothing is said. */
  readonly stageAfter?: readonly (readonly number[])[]
  /** The items that each item waits for. */
  readonly after?: readonly (readonly number[])[]
}

export interface Played {
  /** When the last item ends (the makespan). */
  readonly length: number
  /** For each lane, how long it was full while the first item in line waited for it. */
  readonly waits: Float64Array
  /** How long nothing waited but what waits for others: the last items of a stage, and chains. */
  readonly tail: number
  readonly starts: Float64Array
  readonly ends: Float64Array
}

/**
 * Plays a queue through by list scheduling: whenever there is room, the first item in order that fits is started
 * (Graham, "Bounds on Multiprocessing Timing Anomalies", SIAM J. Appl. Math. 17(2), 1969, with several kinds of
 * machines at once). O(n log n) for a fixed number of sets.
 * @param places in each lane; Infinity for no bound
 */
export function play(queue: Queue, places: readonly number[]): Played {
  const { durations, sets, laneSets, stages, after } = queue
  const count = durations.length
  const starts = new Float64Array(count)
  const ends = new Float64Array(count)
  const waits = new Float64Array(places.length)
  const free = places.map((place) => Math.max(1, place))
  const ready = laneSets.map(() => new Heap())
  const running = new Heap()
  const blockers = new Int32Array(count)
  const followers: number[][] = []
  after?.forEach((list, item) => {
    blockers[item] = list.length
    for (const before of list) (followers[before] ??= []).push(item)
  })
  const stage = (item: number) => (stages ? stages[item]! : 0)
  let tail = 0
  let now = 0
  const enter = (item: number) => ready[sets[item]!]!.push(item, item)
  const { open, done } = stagesOf(count, stage, queue.stageAfter, (item) => {
    if (blockers[item] === 0) enter(item)
  })
  for (;;) {
    const blocked = startAll()
    if (running.size === 0) break
    const until = running.leastKey
    if (blocked >= 0) waits[blocked]! += until - now
    else tail += until - now
    now = until
    while (running.size > 0 && running.leastKey === now) finish(running.pop())
  }
  return { length: now, waits, tail, starts, ends }

  /** Starts what fits, first in order first; the lane that the first in line waits for, or -1 where nobody waits. */
  function startAll(): number {
    for (;;) {
      let best = -1
      let waiting = Infinity
      let full = -1
      for (let set = 0; set < ready.length; set++) {
        const heap = ready[set]!
        if (heap.size === 0) continue
        const lane = laneSets[set]!.find((one) => free[one]! < 1)
        if (lane !== undefined) {
          if (heap.leastKey < waiting) {
            waiting = heap.leastKey
            full = lane
          }
        } else if (best < 0 || heap.leastKey < ready[best]!.leastKey) best = set
      }
      if (best < 0) return full
      const item = ready[best]!.pop()
      for (const lane of laneSets[best]!) free[lane]!--
      starts[item] = now
      ends[item] = now + durations[item]!
      running.push(ends[item]!, item)
    }
  }

  function finish(item: number): void {
    for (const lane of laneSets[sets[item]!]!) free[lane]!++
    for (const follower of followers[item] ?? []) {
      blockers[follower]!--
      if (blockers[follower] === 0 && open[stage(follower)]) enter(follower)
    }
    done(item)
  }
}

/** The stages of a queue, those that wait for nothing opened: `begin` is called for each item of a stage that opens. */
function stagesOf(
  count: number,
  stage: (item: number) => number,
  stageAfter: Queue['stageAfter'],
  begin: (item: number) => void,
): { readonly open: readonly boolean[]; readonly done: (item: number) => void } {
  const stages = Math.max(stageAfter?.length ?? 0, count > 0 ? stage(count - 1) + 1 : 0)
  const after = (one: number): readonly number[] => stageAfter?.[one] ?? (one > 0 ? [one - 1] : [])
  const first = new Int32Array(stages).fill(-1)
  const left = new Int32Array(stages)
  for (let item = 0; item < count; item++) {
    if (first[stage(item)]! < 0) first[stage(item)] = item
    left[stage(item)]!++
  }
  const waits = Array.from({ length: stages }, (_, one) => after(one).length)
  const followers: number[][] = Array.from({ length: stages }, () => [])
  for (let one = 0; one < stages; one++) for (const before of after(one)) followers[before]!.push(one)
  const open: boolean[] = new Array<boolean>(stages).fill(false)
  const openOne = (one: number) => {
    // a stage without items is done when it opens, and so may be those after it
    for (const list = [one]; list.length > 0;) {
      const next = list.pop()!
      open[next] = true
      for (let item = first[next]!; item >= 0 && item < count && stage(item) === next; item++) begin(item)
      if (left[next] === 0) list.push(...ready(next))
    }
  }
  const ready = (ended: number) => followers[ended]!.filter((follower) => --waits[follower]! === 0)
  for (let one = 0; one < stages; one++) if (after(one).length === 0 && !open[one]) openOne(one)
  return {
    open,
    done: (item) => {
      if (--left[stage(item)]! === 0) ready(stage(item)).forEach(openOne)
    },
  }
}

/** How many items run, on average, in each of `buckets` equal stretches of the time from 0 to `length`. */
export function busy({ starts, ends, length }: Played, buckets: number): number[] {
  const filled = new Float64Array(buckets)
  if (length === 0) return [...filled]
  const width = length / buckets
  for (let i = 0; i < starts.length; i++) {
    const first = Math.min(buckets - 1, Math.floor(starts[i]! / width))
    const last = Math.min(buckets - 1, Math.floor(ends[i]! / width))
    for (let bucket = first; bucket <= last; bucket++)
      filled[bucket]! +=
        Math.max(0, Math.min(ends[i]!, (bucket + 1) * width) - Math.max(starts[i]!, bucket * width)) / width
  }
  return [...filled]
}
