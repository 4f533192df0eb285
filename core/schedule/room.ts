import { Events } from './events'

/** Loads of one part of a run, which wait for a place at the workers or for room at a connection. */
export interface Lane {
  /** Of two the smaller goes first. */
  readonly order: number
  /** Loads of it that would begin now, were there room. */
  wanted: number
  /** Where it waits: for a place, or for room at the connection of this name. */
  at: typeof forPlace | string | undefined
}

const forPlace = Symbol('a place at the workers')

/**
 * The room that loads have: places at the workers, and connections that take so many at once. Who waits stands in a queue
 * of its own for each, in the order of the runs, so that nobody is looked at who cannot begin.
 */
export class Room<L extends Lane> {
  private readonly ready = new Events<L>()
  private readonly parked = new Map<string, Events<L>>()
  private readonly inUse = new Map<string, number>()
  /** Loads that wait, for each thing that is waited for. */
  private readonly waiting = new Map<Lane['at'], number>()

  /** @param free places at the workers that nobody has */
  constructor(
    public free: number,
    private readonly caps: Readonly<Record<string, number>>,
  ) {}

  /** So many loads of a lane would begin now. */
  want(lane: L, loads: number): void {
    if (loads === lane.wanted) return
    if (lane.at !== undefined) this.count(lane.at, loads - lane.wanted)
    lane.wanted = loads
    if (lane.at === undefined && loads > 0) this.wait(lane, forPlace)
  }

  /** The lane whose turn it is, which no longer waits; undefined where there is no room, or nobody. */
  next(): L | undefined {
    for (;;) {
      if (this.free === 0) return undefined
      let queue = this.ready
      for (const [connection, own] of this.parked) {
        const first = own.first()
        if (first !== undefined && this.has(connection) && first < (queue.first() ?? Infinity)) queue = own
      }
      const lane = queue.next()?.what
      if (!lane) return undefined
      this.count(lane.at!, -lane.wanted)
      lane.at = undefined
      // it may have been let go of meanwhile
      if (lane.wanted > 0) return lane
    }
  }

  /** The first of some connections that has no room. */
  full(connections: readonly string[]): string | undefined {
    return connections.find((name) => !this.has(name))
  }

  private has(connection: string): boolean {
    return (this.inUse.get(connection) ?? 0) < (this.caps[connection] ?? Infinity)
  }

  /** A lane waits: for room at a connection, or for a place. */
  wait(lane: L, at: string | typeof forPlace = forPlace): void {
    let queue = this.ready
    if (typeof at === 'string') {
      queue = this.parked.get(at) ?? new Events()
      this.parked.set(at, queue)
    }
    queue.add(lane.order, lane)
    lane.at = at
    this.count(at, lane.wanted)
  }

  private count(at: Lane['at'], by: number): void {
    this.waiting.set(at, (this.waiting.get(at) ?? 0) + by)
  }

  /** A load begins. */
  take(connections: readonly string[]): void {
    this.free--
    for (const name of connections) this.inUse.set(name, (this.inUse.get(name) ?? 0) + 1)
  }

  /** A load ends. */
  give(connections: readonly string[]): void {
    this.free++
    for (const name of connections) this.inUse.set(name, this.inUse.get(name)! - 1)
  }

  /** Loads that wait for a place. */
  crowd(): number {
    return this.free === 0 ? (this.waiting.get(forPlace) ?? 0) : 0
  }

  /** The connections that loads wait for though there are places, with how many. */
  capped(): [string, number][] {
    if (this.free === 0) return []
    return [...this.parked.keys()].flatMap((name) => {
      const loads = this.waiting.get(name) ?? 0
      return loads > 0 && !this.has(name) ? [[name, loads] as [string, number]] : []
    })
  }
}
