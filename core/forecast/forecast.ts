import { quantile } from './quantile'
import { randomStream } from './random'
import { busy, play, type Played } from './simulate'

/** The work of a plan as the forecast sees it. */
export interface Workload {
  /** Part of each load; ascending. */
  readonly part: ArrayLike<number>
  /** The parts that each part waits for; the one before it where nothing is said. */
  readonly partAfter?: readonly (readonly number[])[]
  /** For each load its place in `like`. */
  readonly likeOf: ArrayLike<number>
  /** Seconds that like loads took, one list for each kind of load; empty where there was none. */
  readonly like: readonly (readonly number[])[]
  /** Seconds that any load of the job took. */
  readonly any: readonly number[]
  /** For each load its place in `connections`. */
  readonly usesOf: ArrayLike<number>
  /** Sets of connections that loads use together. */
  readonly connections: readonly (readonly string[])[]
}

export interface Caps {
  /** Loads at once, by part. */
  readonly atOnce: Readonly<Record<number, number>>
  /** Loads that all workers together run at once. */
  readonly workers: number
  /** Loads that may use a connection at once; null for no bound. */
  readonly connections: Readonly<Record<string, number | null>>
}

/** What holds the work up. */
export interface Limit {
  readonly kind: 'at-once' | 'connection' | 'workers' | 'long-load'
  /** Name of the connection, or key of the part. */
  readonly name: string
  /** Share of the whole length, 0 to 1. */
  readonly share: number
}

/** Seconds. */
export interface Forecast {
  readonly seconds: number
  /** A tenth of the draws were shorter, a tenth longer. */
  readonly low: number
  readonly high: number
  /** Share of the loads for which like loads are in the history, 0 to 1. */
  readonly known: number
  /** What holds it up, the heaviest first. */
  readonly limits: readonly Limit[]
  /** Loads running at once, on average, in each of 60 equal stretches of its length. */
  readonly running: readonly number[]
  /** How often it was played through. */
  readonly draws: number
}

/** Draws that are worth their time: many for small plans; in a large one chance evens out by itself. */
const drawsFor = (loads: number): number =>
  Math.max(3, Math.min(41, Math.floor(600_000 / Math.max(1, loads))))

/** Like loads count by themselves from so many on; below it one odd load would say too much. */
const enough = 3

/**
 * How long a plan will take: it is played through as the workers would (see {@link play}), several times, each load
 * with a length drawn from those of like loads (a bootstrap after Efron, 1979). The same plan and history give the
 * same forecast.
 * @returns null where there is no history at all, or nothing to do
 */
export function forecast(work: Workload, caps: Caps): Forecast | null {
  const count = work.part.length
  if (work.any.length === 0 || count === 0) return null
  const draws = drawsFor(count)
  const { places, laneSets, sets, names } = lanesOf(work, caps)
  const random = randomStream(count)
  const durations = new Float64Array(count)
  const stageAfter = work.partAfter ? { stageAfter: work.partAfter } : {}
  const played: Played[] = []
  for (let draw = 0; draw < draws; draw++) {
    for (let i = 0; i < count; i++) {
      durations[i] = drawn(work.like[work.likeOf[i]!]!, work.any, random())
    }
    played.push(play({ durations, sets, laneSets, stages: work.part, ...stageAfter }, places))
  }
  const lengths = played.map(({ length }) => length)
  const seconds = quantile(lengths, 0.5)
  const middle = played.reduce((best, one) =>
    Math.abs(one.length - seconds) < Math.abs(best.length - seconds) ? one : best,
  )
  let known = 0
  for (let i = 0; i < count; i++) if (work.like[work.likeOf[i]!]!.length > 0) known++
  return {
    seconds,
    low: quantile(lengths, 0.1),
    high: quantile(lengths, 0.9),
    known: known / count,
    limits: limitsOf(middle, names),
    running: busy(middle, 60).map((value) => Number(value.toPrecision(3))),
    draws,
  }
}

/** One of like loads; where those are few, of all loads behind them. `at`: from 0 up to 1. */
function drawn(like: readonly number[], any: readonly number[], at: number): number {
  if (like.length >= enough) return like[Math.floor(at * like.length)]!
  // the lists are not put together: a plan may have as many of them as loads
  const place = Math.floor(at * (like.length + any.length))
  return like[place] ?? any[place - like.length]!
}

interface Lanes {
  readonly places: number[]
  readonly laneSets: number[][]
  readonly sets: Uint32Array
  readonly names: Omit<Limit, 'share'>[]
}

/** A lane for all workers, one for each part's own cap, one for each connection with a cap. */
function lanesOf(work: Workload, caps: Caps): Lanes {
  const places = [caps.workers]
  const names: Omit<Limit, 'share'>[] = [{ kind: 'workers', name: '' }]
  const byName = new Map<string, number>()
  const lane = (kind: Limit['kind'], name: string, most: number): number => {
    const id = `${kind} ${name}`
    const known = byName.get(id)
    if (known !== undefined) return known
    byName.set(id, places.length)
    names.push({ kind, name })
    return places.push(most) - 1
  }
  const laneSets: number[][] = []
  const setIds = new Map<number, number>()
  const sets = new Uint32Array(work.part.length)
  const wide = work.connections.length
  for (let i = 0; i < sets.length; i++) {
    const id = work.part[i]! * wide + work.usesOf[i]!
    let set = setIds.get(id)
    if (set === undefined) {
      setIds.set(id, (set = laneSets.length))
      const own = work.connections[work.usesOf[i]!]!.flatMap((name) => {
        const most = caps.connections[name]
        return most === null || most === undefined ? [] : [lane('connection', name, most)]
      })
      const atOnce = lane('at-once', String(work.part[i]), caps.atOnce[work.part[i]!] ?? 1)
      // in the order in which a cap is named when several are full at the same time
      laneSets.push([...own, atOnce, 0])
    }
    sets[i] = set
  }
  return { places, laneSets, sets, names }
}

function limitsOf({ waits, tail, length }: Played, names: Lanes['names']): Limit[] {
  if (length === 0) return []
  const limits: Limit[] = names.map((name, i) => ({ ...name, share: waits[i]! / length }))
  limits.push({ kind: 'long-load', name: '', share: tail / length })
  return limits.filter(({ share }) => share >= 0.01).sort((a, b) => b.share - a.share)
}
