import type { Missed, StartTime } from '../job/starts'
import { lengthWords } from './words'

/** What is decided about one time of a start. */
export interface Decided {
  /** Milliseconds since 1970: when it was due. */
  readonly at: number
  readonly does: 'start' | 'skip'
  /** Why it is left out, or late; undefined where it begins in time. */
  readonly why?: string
  /** First and last slice that it takes, where its times are those of slices. */
  readonly slices?: { readonly from: string; readonly to: string }
}

export interface DecideAsk {
  /** In order, none of them after `now`. */
  readonly times: readonly StartTime[]
  readonly now: number
  readonly missed: Missed
  /** Why nothing began at a time that went by: Mattock was away, or the start was paused, by whom. */
  readonly reason: (at: number) => string
  /** Milliseconds after its time until which a start is in time. */
  readonly inTime?: number
}

/**
 * Decides about the times of a start that have come: those in time begin; those that went by are made up for by one run,
 * each by its own, or left out, as the start says. Times of slices that are made up for by one run give it all of their
 * slices, so that none is lost.
 */
export function decide({ times, now, missed, reason, inTime = 60_000 }: DecideAsk): Decided[] {
  const isLate = ({ at }: StartTime) => now - at > inTime
  const late = times.filter(isLate)
  const timely = times.filter((time) => !isLate(time))
  const [first, ...rest] = timely
  // the run that makes up for those before it is the first that is in time, where there is one
  const makesUp = missed === 'once' && late.length > 0 && first
  const before: readonly Decided[] =
    missed === 'skip'
      ? late.map(({ at }) => ({ at, does: 'skip', why: `left out, as the start says: ${reason(at)}` }) as const)
      : missed === 'each'
        ? late.map((time) => ({ ...begins(time), why: `${lateBy(time, now)}: ${reason(time.at)}` }))
        : late.length > 0 ? atOnce(late, first, now, reason) : []
  const begun = makesUp ? [together([...late, first])] : first ? [begins(first)] : []
  return [...before, ...begun, ...rest.map(begins)]
} // prettier-ignore

/** Late times of which one run makes up for all: the last begins it, unless one that is in time does. */
function atOnce(late: readonly StartTime[], timely: StartTime | undefined, now: number, reason: DecideAsk['reason']): Decided[] {
  const begun = timely ?? late.at(-1)!
  const rest = timely ? late : late.slice(0, -1)
  const skipped = rest.map(({ at }) => ({ at, does: 'skip', why: `made up for by the start of ${instant(begun.at)}: ${reason(at)}` }) as const)
  if (timely) return skipped
  const why = `${lateBy(begun, now)}${rest.length > 0 ? `, for ${rest.length + 1} that went by` : ''}: ${reason(begun.at)}`
  return [...skipped, { ...together(late), why }]
} // prettier-ignore

/** One run at the last of some times, which takes the slices of all. */
function together(times: readonly StartTime[]): Decided {
  const last = times.at(-1)!
  const [first] = times
  return last.slice && first?.slice
    ? { at: last.at, does: 'start', slices: { from: first.slice.from, to: last.slice.to } }
    : { at: last.at, does: 'start' }
}

const begins = (time: StartTime): Decided => together([time])

const lateBy = ({ at }: StartTime, now: number): string => `begun ${lengthWords(now - at)} late`
const instant = (at: number): string => new Date(at).toISOString().replace(':00.000Z', 'Z')
