/** A queue of work to be played through: items in the order in which they would be taken. */
export interface Queue {
  /** Length of each item, in any unit of time. */
  readonly durations: ArrayLike<number>
  /** Number of the set of lanes that each item uses. */
  readonly sets: ArrayLike<number>
  /** The lanes of each set: an item holds one place in each of them while it runs. */
  readonly laneSets: readonly (readonly number[])[]
  /** Items of a stage start when all of the stages before it are done; ascending. */
  readonly stages?: ArrayLike<number>
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
  let open = -1
  let nextItem = 0
  let unfinished = 0
  let tail = 0
  let now = 0
  const enter = (item: number) => ready[sets[item]!]!.push(item, item)
  const openStage = () => {
    if (nextItem >= count) return
    open = stage(nextItem)
    for (; nextItem < count && stage(nextItem) === open; nextItem++) {
      unfinished++
      if (blockers[nextItem] === 0) enter(nextItem)
    }
  }
  openStage()
  for (;;) {
    const blocked = startAll()
    if (running.size === 0) break
    const until = running.leastKey
    if (blocked >= 0) waits[blocked]! += until - now
    else tail += until - now
    now = until
    while (running.size > 0 && running.leastKey === now) finish(running.pop())
    if (unfinished === 0) openStage()
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
    unfinished--
    for (const follower of followers[item] ?? []) {
      blockers[follower]!--
      if (blockers[follower] === 0 && stage(follower) <= open) enter(follower)
    }
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

/** A binary heap of numbers by key, least first. */
class Heap {
  private keys: number[] = []
  private items: number[] = []

  get size(): number {
    return this.keys.length
  }

  get leastKey(): number {
    return this.keys[0]!
  }

  push(key: number, item: number): void {
    const { keys, items } = this
    let at = keys.length
    keys.push(key)
    items.push(item)
    while (at > 0) {
      const parent = (at - 1) >> 1
      if (keys[parent]! <= key) break
      keys[at] = keys[parent]!
      items[at] = items[parent]!
      at = parent
    }
    keys[at] = key
    items[at] = item
  }

  pop(): number {
    const { keys, items } = this
    const least = items[0]!
    const key = keys.pop()!
    const item = items.pop()!
    if (keys.length > 0) {
      let at = 0
      for (;;) {
        let child = 2 * at + 1
        if (child >= keys.length) break
        if (child + 1 < keys.length && keys[child + 1]! < keys[child]!) child++
        if (keys[child]! >= key) break
        keys[at] = keys[child]!
        items[at] = items[child]!
        at = child
      }
      keys[at] = key
      items[at] = item
    }
    return least
  }
}
