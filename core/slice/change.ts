import { newestClosed, slicesBetween, type Slice } from './slices'
import type { SliceSpec } from './spec'

type Span = Pick<Slice, 'from' | 'to'>

/** What another rule makes of slices that were loaded. Each that was loaded counts once. */
export interface SliceChange {
  readonly loaded: number
  /** They are slices of the new rule, too. */
  readonly stay: number
  /** They are made up of whole slices of the new rule. */
  readonly parted: number
  /** A slice of the new rule reaches beyond them, or begins or ends within them. */
  readonly cut: number
  /** No slice of the new rule touches them. */
  readonly outside: number
  /** Slices of the new rule that are over and were not loaded as they are; null where there are more than can be counted. */
  readonly fresh: number | null
  /** The first that is cut across, and the slices of the new rule that it meets. */
  readonly example: { readonly loaded: Span; readonly meets: readonly Span[] } | null
}

/** Slices of a rule that are looked at. */
const most = 100_000

/**
 * What becomes of slices that were loaded when a job is cut by another rule. The loads themselves stay as they are: their
 * identity is [from, to).
 * @throws FaultError `slices` where the rule cannot be read
 */
export function sliceChange(loaded: readonly Span[], spec: SliceSpec, now: string): SliceChange {
  const spans = loaded.map(({ from, to }) => ({ from: Date.parse(from), to: Date.parse(to) })).sort((a, b) => a.from - b.from) // prettier-ignore
  const newest = newestClosed(spec, now)
  const first = spans[0]
  const counts = { stay: 0, parted: 0, cut: 0, outside: 0 }
  if (!newest) return { loaded: spans.length, ...counts, outside: spans.length, fresh: 0, example: null }
  const begin = first ? Math.min(first.from, Date.parse(newest.from)) : Date.parse(newest.from)
  const end = Math.max(Date.parse(newest.to), ...spans.slice(-1).map(({ to }) => to))
  const all = sliceStarts(spec, begin, end)
  if (!all) return { loaded: spans.length, ...counts, cut: spans.length, fresh: null, example: null }
  const same = new Set(spans.map(({ from, to }) => `${from}/${to}`))
  let example: SliceChange['example'] = null
  for (const span of spans) {
    const meets = overlapping(all, span)
    const [one] = meets
    if (!one) counts.outside++
    else if (one.from === span.from && one.to === span.to) counts.stay++
    else if (one.from === span.from && meets.at(-1)!.to === span.to) counts.parted++
    else {
      counts.cut++
      example ??= { loaded: text(span), meets: [...new Set([one, meets.at(-1)!])].map(text) }
    }
  }
  const closed = all.filter(({ to }) => to <= Date.parse(newest.to))
  const fresh = closed.filter(({ from, to }) => !same.has(`${from}/${to}`)).length
  return { loaded: spans.length, ...counts, fresh, example }
}

interface Stretch {
  readonly from: number
  readonly to: number
}

const text = ({ from, to }: Stretch): Span => ({
  from: new Date(from).toISOString(),
  to: new Date(to).toISOString(),
})

/** Slices of a rule that touch a span, in order; undefined where they are too many. */
function sliceStarts(spec: SliceSpec, from: number, to: number): Stretch[] | undefined {
  // a slice may reach beyond the span on both sides
  const wide = (/[YMW]/.test(spec.every.split('T')[0]!) ? 400 : 40) * 86_400_000
  const near = (at: number) => new Date(at).toISOString()
  for (const margin of [wide, 0])
    try {
      return slicesBetween(spec, near(from - margin), near(to + margin), most)
        .map((slice) => ({ from: Date.parse(slice.from), to: Date.parse(slice.to) }))
        .filter((slice) => slice.to > from && slice.from < to)
    } catch (error) {
      if (!(error as Error).message.startsWith('more than')) throw error
    }
  return undefined
}

/** Those of some stretches, in order and without overlaps, that share time with one. */
function overlapping(all: readonly Stretch[], { from, to }: Stretch): Stretch[] {
  let [low, high] = [0, all.length]
  while (low < high) {
    const middle = (low + high) >> 1
    if (all[middle]!.to <= from) low = middle + 1
    else high = middle
  }
  const found: Stretch[] = []
  for (let at = low; at < all.length && all[at]!.from < to; at++) found.push(all[at]!)
  return found
}
