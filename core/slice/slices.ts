import { Temporal } from 'temporal-polyfill'
import { fail, FaultError } from '../fault'
import type { SliceSpec } from './spec'

/** A half-open span of data time [from, to), as ISO 8601 instants; the label is its start as the job's zone writes it. */
export interface Slice {
  readonly from: string
  readonly to: string
  readonly label: string
}

interface Cutter {
  readonly zone: string
  readonly start: Temporal.ZonedDateTime
  readonly end: Temporal.ZonedDateTime | undefined
  readonly every: Temporal.Duration
  /** Seconds of a slice of hours; undefined where it is of days. */
  readonly seconds: number | undefined
  /** Its hours are those of the clock on the wall. */
  readonly onTheClock: boolean
}

/** @throws FaultError `slices` where the duration, the zone or a date cannot be read */
function cutter(spec: SliceSpec): Cutter {
  const where = (field: string) => ({ path: `slices.${field}` })
  let every: Temporal.Duration
  try {
    every = Temporal.Duration.from(spec.every)
  } catch {
    fail('slices', `"${spec.every}" is no ISO 8601 duration; a day is P1D, an hour PT1H`, where('every'))
  }
  const dateUnits = every.years || every.months || every.weeks || every.days
  const timeUnits = every.hours || every.minutes || every.seconds
  if (every.sign <= 0) fail('slices', `a slice must have a length; "${spec.every}" has none`, where('every'))
  if (dateUnits && timeUnits)
    fail('slices', 'a slice is cut by days or by hours, not by both', where('every'))
  if (!dateUnits && every.total('minutes') < 1)
    fail('slices', 'a slice is a minute or longer', where('every'))
  const start = zonedTime(spec.from, spec.zone, 'from').add(lengthOf(spec, 'offset'))
  const seconds = timeUnits ? every.total('seconds') : undefined
  return {
    zone: spec.zone,
    every,
    seconds,
    onTheClock: seconds !== undefined && followsTheClock(seconds, start),
    start,
    end: spec.until === undefined ? undefined : zonedTime(spec.until, spec.zone, 'until'),
  }
}

/** A duration among the settings of slices; none where it is not set. @throws FaultError `slices` */
function lengthOf(spec: SliceSpec, field: 'offset' | 'grace' | 'restate'): Temporal.Duration {
  const text = spec[field] ?? 'PT0S'
  try {
    return Temporal.Duration.from(text)
  } catch {
    fail('slices', `"${text}" is no ISO 8601 duration; five hours are PT5H, 45 days P45D`, {
      path: `slices.${field}`,
    })
  }
}

/**
 * Do slices of so many seconds begin at the same hours of the clock each day, whatever it is set to? They can where they
 * divide a day: six hours at 00, 06, 12 and 18, of which the one with a clock change has five or seven. Slices that are no
 * longer than the change itself are counted on, so that the doubled hour is two; but where that would leave the clock.
 */
function followsTheClock(seconds: number, start: Temporal.ZonedDateTime): boolean {
  if (86_400 % seconds !== 0) return false
  if (seconds > 3_600) return true
  let at: Temporal.ZonedDateTime | null = start
  // the rules of a zone come back each year: two changes show them
  for (let i = 0; i < 2 && (at = at.getTimeZoneTransition('next')); i++) {
    const change = at.offsetNanoseconds - at.subtract({ nanoseconds: 1 }).offsetNanoseconds
    if ((change / 1e9) % seconds !== 0) return true
  }
  return false
}

/** A date, a month, a local date and time, or an instant, in a zone. @throws FaultError `slices` */
export function zonedTime(text: string, zone: string, field = 'from'): Temporal.ZonedDateTime {
  try {
    if (/(Z|[+-]\d\d:?\d\d)$/.test(text) && text.includes('T')) {
      return Temporal.Instant.from(text).toZonedDateTimeISO(zone)
    }
    // a month as slices of months are called
    const day = /^\d{4}-\d{2}$/.test(text) ? `${text}-01` : text
    return Temporal.PlainDateTime.from(day).toZonedDateTime(zone)
  } catch {
    fail('slices', `"${text}" is no date or time in zone ${zone}; write 2026-11-01 or 2026-11-01T06:00`, {
      path: `slices.${field}`,
    })
  }
}

/** The nth boundary, counted from the start, so that months and clock changes never drift. */
function boundary({ zone, start, every, seconds, onTheClock }: Cutter, n: number): Temporal.ZonedDateTime {
  if (onTheClock) {
    const shown = start.toPlainDateTime().add({ seconds: seconds! * n })
    const at = shown.toZonedDateTime(zone)
    if (at.toPlainDateTime().equals(shown)) return at
    const before = shown.toZonedDateTime(zone, { disambiguation: 'earlier' })
    // of what a zone left out that is longer than a slice, nothing is left: all of its boundaries are where it goes on
    const left = at.epochMilliseconds - before.epochMilliseconds >= seconds! * 1000
    return (left && before.getTimeZoneTransition('next')) || at
  }
  if (seconds === undefined) {
    return start.add({
      years: every.years * n,
      months: every.months * n,
      weeks: every.weeks * n,
      days: every.days * n,
    })
  }
  return start.add({ seconds: seconds * n })
}

/** Number of the first boundary at or after `time`, by estimate and correction. */
function firstAt(cut: Cutter, time: Temporal.ZonedDateTime): number {
  const length = boundary(cut, 1).epochMilliseconds - cut.start.epochMilliseconds
  let n = Math.max(0, Math.floor((time.epochMilliseconds - cut.start.epochMilliseconds) / length) - 2)
  while (n > 0 && Temporal.ZonedDateTime.compare(boundary(cut, n), time) >= 0) n = Math.max(0, n - 8)
  while (Temporal.ZonedDateTime.compare(boundary(cut, n), time) < 0) n++
  return n
}

/**
 * The slices that lie whole in [from, to), oldest first. A day with a clock change is one slice of 23 or 25 hours.
 * @throws FaultError `slices` where the rule cannot be read, or gives more than `limit` slices
 */
export function slicesBetween(spec: SliceSpec, from: string, to: string, limit = 100_000): Slice[] {
  const cut = cutter(spec)
  const first = zonedTime(from, cut.zone)
  let last = zonedTime(to, cut.zone, 'until')
  if (cut.end && Temporal.ZonedDateTime.compare(cut.end, last) < 0) last = cut.end
  const slices: Slice[] = []
  let at = firstAt(cut, first)
  let start = boundary(cut, at)
  for (;;) {
    const end = boundary(cut, ++at)
    if (Temporal.ZonedDateTime.compare(end, last) > 0) return slices
    if (slices.length >= limit) fail('slices', `more than ${limit} slices between ${from} and ${to}`)
    // a zone that skipped a day leaves nothing of it
    if (!end.toInstant().equals(start.toInstant())) slices.push(sliceOf(start, end, spec))
    start = end
  }
}

/**
 * The slices that have a part of [from, to), oldest first: those that cover it, or fill it, or both.
 * @throws FaultError `slices` where the rule cannot be read, or gives more than `limit`
 */
export function slicesMeeting(spec: SliceSpec, from: string, to: string, limit = 20_000): Slice[] {
  const cut = cutter(spec)
  const first = zonedTime(from, cut.zone)
  const last = zonedTime(to, cut.zone, 'until')
  let at = firstAt(cut, first)
  while (at > 0 && Temporal.ZonedDateTime.compare(boundary(cut, at), first) > 0) at--
  const slices: Slice[] = []
  for (let start = boundary(cut, at); Temporal.ZonedDateTime.compare(start, last) < 0; at++) {
    const end = boundary(cut, at + 1)
    if (cut.end && Temporal.ZonedDateTime.compare(end, cut.end) > 0) break
    if (slices.length >= limit) fail('slices', `more than ${limit.toLocaleString('en')} slices meet ${from} to ${to}`)
    if (Temporal.ZonedDateTime.compare(end, first) > 0 && !end.equals(start)) slices.push(sliceOf(start, end, spec))
    start = end
  }
  return slices
} // prettier-ignore

/** The slice that ends where another begins, or, where the rule gives none there, the newest before; undefined before the first. */
export const sliceBefore = (spec: SliceSpec, from: string): Slice | undefined => newestClosed(spec, from)

/** Nothing is left of a day, or an hour, that a zone skipped. */
const isNothing = (cut: Cutter, n: number): boolean => boundary(cut, n).equals(boundary(cut, n + 1))

const sliceOf = (start: Temporal.ZonedDateTime, end: Temporal.ZonedDateTime, spec: SliceSpec): Slice => ({
  from: start.toInstant().toString(),
  to: end.toInstant().toString(),
  label: sliceLabel(start, spec),
})

/** `2026-11-22`, `2026-11` for whole months, `2026-11-22T06:00+01:00` for hours (the offset tells the doubled hour apart). */
function sliceLabel(start: Temporal.ZonedDateTime, spec: SliceSpec): string {
  const every = Temporal.Duration.from(spec.every)
  if (every.hours || every.minutes || every.seconds) {
    return start.toString({ timeZoneName: 'never', smallestUnit: 'minute' })
  }
  if (start.day === 1 && !every.days && !every.weeks) return start.toPlainDate().toPlainYearMonth().toString()
  return start.toPlainDate().toString()
}

/** The newest slice that is over at `now`, or undefined where none is. */
export function newestClosed(spec: SliceSpec, now: string): Slice | undefined {
  const cut = cutter(spec)
  let time = zonedTime(now, cut.zone)
  if (cut.end && Temporal.ZonedDateTime.compare(cut.end, time) < 0) time = cut.end
  let n = firstAt(cut, time)
  if (Temporal.ZonedDateTime.compare(boundary(cut, n), time) > 0) n--
  while (n > 0 && isNothing(cut, n - 1)) n--
  if (n < 1) return undefined
  const [from, to] = [boundary(cut, n - 1), boundary(cut, n)]
  return { from: from.toInstant().toString(), to: to.toInstant().toString(), label: sliceLabel(from, spec) }
}

/**
 * Reads a span as people type it: `2026-11-01/2026-11-05` is [from, to) and gives four days;
 * a single date or time gives the slice that begins there.
 */
export function slicesInSpan(spec: SliceSpec, span: string): Slice[] {
  const [from, to, ...rest] = span.split('/').map((part) => part.trim())
  if (!from || to === '' || rest.length > 0) {
    fail('slices', `"${span}" is no span; write FROM/TO such as 2026-11-01/2026-11-05, the end not included`)
  }
  if (to !== undefined) {
    const slices = slicesBetween(spec, from, to)
    if (slices.length === 0) fail('slices', `no whole slice of ${spec.every} lies in ${span}`)
    return slices
  }
  const cut = cutter(spec)
  const start = zonedTime(from, cut.zone)
  let n = firstAt(cut, start)
  while (boundary(cut, n).equals(start) && isNothing(cut, n)) n++
  if (!boundary(cut, n).equals(start))
    fail('slices', `no slice begins at ${span}; slices are cut every ${spec.every} from ${spec.from}`)
  return [sliceOf(start, boundary(cut, n + 1), spec)]
}

/** What is wrong with a rule for slices, with its path in the document; undefined where nothing is. */
export function slicesFault(
  spec: SliceSpec,
): { readonly path: string; readonly message: string } | undefined {
  try {
    cutter(spec)
    for (const field of ['grace', 'restate'] as const) lengthOf(spec, field)
    return undefined
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    return { path: error.fault.where.path ?? 'slices', message: error.message }
  }
}

/** A slice and when a run may take it up: when it is over, and its grace has gone by. */
export interface Closing {
  readonly slice: Slice
  /** Milliseconds since 1970. */
  readonly at: number
}

/** When a run may take up what ends at a time. */
const dueAt = (end: Temporal.ZonedDateTime, grace: Temporal.Duration): number =>
  end.add(grace).epochMilliseconds

/**
 * The slices that close, their grace included, after a time and up to another that is included (milliseconds since 1970),
 * in their order; at most `limit`.
 * @throws FaultError `slices`
 */
export function closingsBetween(spec: SliceSpec, after: number, until: number, limit = Infinity): Closing[] {
  const cut = cutter(spec)
  const grace = lengthOf(spec, 'grace')
  const margin = disorder(grace)
  const first = Temporal.Instant.fromEpochMilliseconds(after - margin).toZonedDateTimeISO(cut.zone).subtract(grace) // prettier-ignore
  const found: Closing[] = []
  let last = until + margin
  for (let n = Math.max(0, firstAt(cut, first) - 2); ; n++) {
    const end = boundary(cut, n + 1)
    if (cut.end && Temporal.ZonedDateTime.compare(end, cut.end) > 0) break
    const at = dueAt(end, grace)
    if (at > last) break
    if (at > after && at <= until && !isNothing(cut, n))
      found.push({ slice: sliceOf(boundary(cut, n), end, spec), at })
    if (found.length >= limit) last = Math.min(last, at + margin - 1)
  }
  // those that are due at the same moment come as their slices do
  found.sort((one, other) => one.at - other.at || Date.parse(one.slice.from) - Date.parse(other.slice.from))
  return found.slice(0, limit)
}

/** Milliseconds by which what ends later may be due earlier: a month after the 31st is the end of the next, a day after an hour that the clock leaves out is the hour behind it. */
function disorder(grace: Temporal.Duration): number {
  if (grace.years || grace.months) return 4 * 86_400_000
  // a zone may leave out a whole day
  return grace.weeks || grace.days ? 26 * 3_600_000 : 0
}

/**
 * The slices that a run loads which takes some: those, and before them as far back as is restated.
 * @throws FaultError `slices`
 */
export function withRestated(spec: SliceSpec, slices: readonly Slice[]): Slice[] {
  const newest = slices.at(-1)
  if (!newest || spec.restate === undefined) return [...slices]
  const back = Temporal.Instant.from(newest.to)
    .toZonedDateTimeISO(spec.zone)
    .subtract(lengthOf(spec, 'restate'))
  const from = Temporal.Instant.compare(back.toInstant(), Temporal.Instant.from(slices[0]!.from)) < 0 ? back.toInstant().toString() : slices[0]!.from // prettier-ignore
  return slicesBetween(spec, from, newest.to)
}

/** Is the slice over at `now`, its grace included? */
export function isClosed(slice: Slice, spec: SliceSpec, now: string): boolean {
  const end = Temporal.Instant.from(slice.to).toZonedDateTimeISO(spec.zone)
  return dueAt(end, lengthOf(spec, 'grace')) <= Date.parse(now)
}
