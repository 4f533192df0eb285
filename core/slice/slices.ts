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
  /** Of slices that are all of one length: their start, and their length, in milliseconds; undefined of others. */
  readonly even: { readonly start: number; readonly length: number } | undefined
}

/** Where a slice ends and the next begins. */
interface Edge {
  /** Milliseconds since 1970, with what is finer as a fraction. */
  readonly ms: number
  /** Where it was worked out as such. */
  readonly zoned?: Temporal.ZonedDateTime
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
  const onTheClock = seconds !== undefined && followsTheClock(seconds, start)
  const even =
    seconds !== undefined && !onTheClock && Number.isInteger(seconds * 1000) && Number.isInteger(msOf(start))
      ? { start: start.epochMilliseconds, length: seconds * 1000 }
      : undefined
  return {
    zone: spec.zone,
    every,
    seconds,
    onTheClock,
    even,
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

const msOf = (at: Temporal.ZonedDateTime): number =>
  at.epochMilliseconds + (at.microsecond * 1000 + at.nanosecond) / 1e6

/** The nth boundary as an edge; quick where all slices are of one length. */
function edge(cut: Cutter, n: number): Edge {
  if (cut.even) return { ms: cut.even.start + cut.even.length * n }
  const zoned = boundary(cut, n)
  return { ms: msOf(zoned), zoned }
}

/** Number of the first boundary at or after a time (milliseconds since 1970), by estimate and correction. */
function firstAt(cut: Cutter, time: number): number {
  const start = edge(cut, 0).ms
  const length = edge(cut, 1).ms - start
  let n = Math.max(0, Math.floor((time - start) / length) - 2)
  while (n > 0 && edge(cut, n).ms >= time) n = Math.max(0, n - 8)
  while (edge(cut, n).ms < time) n++
  return n
}

/**
 * The slices that lie whole in [from, to), oldest first. A day with a clock change is one slice of 23 or 25 hours.
 * @throws FaultError `slices` where the rule cannot be read, or gives more than `limit` slices
 */
export function slicesBetween(spec: SliceSpec, from: string, to: string, limit = 100_000): Slice[] {
  const cut = cutter(spec)
  const tell = teller(cut)
  const last = Math.min(msOf(zonedTime(to, cut.zone, 'until')), endOf(cut))
  const slices: Slice[] = []
  let at = firstAt(cut, msOf(zonedTime(from, cut.zone)))
  // of slices of one length it is known beforehand how many there are
  if (cut.even && (last - edge(cut, at).ms) / cut.even.length >= limit + 1)
    fail('slices', `more than ${limit} slices between ${from} and ${to}`)
  let start = edge(cut, at)
  for (;;) {
    const end = edge(cut, ++at)
    if (end.ms > last) return slices
    if (slices.length >= limit) fail('slices', `more than ${limit} slices between ${from} and ${to}`)
    // a zone that skipped a day leaves nothing of it
    if (end.ms !== start.ms) slices.push(tell(start, end))
    start = end
  }
}

/**
 * The slices that have a part of [from, to), oldest first: those that cover it, or fill it, or both.
 * @throws FaultError `slices` where the rule cannot be read, or gives more than `limit`
 */
export function slicesMeeting(spec: SliceSpec, from: string, to: string, limit = 20_000): Slice[] {
  const cut = cutter(spec)
  const tell = teller(cut)
  const first = msOf(zonedTime(from, cut.zone))
  const last = msOf(zonedTime(to, cut.zone, 'until'))
  let at = firstAt(cut, first)
  while (at > 0 && edge(cut, at).ms > first) at--
  const slices: Slice[] = []
  for (let start = edge(cut, at); start.ms < last; at++) {
    const end = edge(cut, at + 1)
    if (end.ms > endOf(cut)) break
    if (slices.length >= limit) fail('slices', `more than ${limit.toLocaleString('en')} slices meet ${from} to ${to}`)
    if (end.ms > first && end.ms !== start.ms) slices.push(tell(start, end))
    start = end
  }
  return slices
} // prettier-ignore

/** The slice that ends where another begins, or, where the rule gives none there, the newest before; undefined before the first. */
export const sliceBefore = (spec: SliceSpec, from: string): Slice | undefined => newestClosed(spec, from)

/** Nothing is left of a day, or an hour, that a zone skipped. */
const isNothing = (cut: Cutter, n: number): boolean => edge(cut, n).ms === edge(cut, n + 1).ms

const endOf = (cut: Cutter): number => (cut.end ? msOf(cut.end) : Infinity)

const instantOf = (ms: number): Temporal.Instant => Temporal.Instant.fromEpochMilliseconds(ms)

/** As Temporal writes an instant: a fraction only where there is one. */
const instantText = ({ ms, zoned }: Edge): string =>
  zoned ? zoned.toInstant().toString() : new Date(ms).toISOString().replace(/\.?0*Z$/, 'Z')

/** Makes a slice of two edges. One asked for many in their order asks the zone only where its clock is changed. */
function teller(cut: Cutter): (start: Edge, end: Edge) => Slice {
  let [since, until, shift, offset] = [Infinity, -Infinity, 0, '']
  const evenLabel = (ms: number): string => {
    if (ms < since || ms >= until) {
      const at = instantOf(ms).toZonedDateTimeISO(cut.zone)
      since = ms
      until = at.getTimeZoneTransition('next')?.epochMilliseconds ?? Infinity
      shift = at.offsetNanoseconds / 1e6
      offset = offsetText(at)
    }
    return new Date(ms + shift).toISOString().replace(/:\d\d\.\d{3}Z$/, offset)
  }
  return (start, end) => ({
    from: instantText(start),
    to: instantText(end),
    label: start.zoned ? sliceLabel(start.zoned, cut.every) : evenLabel(start.ms),
  })
}

/** To the minute, as RFC 3339 has it; zones of former times had seconds. */
const offsetText = (at: Temporal.ZonedDateTime): string =>
  at.toString({ timeZoneName: 'never', smallestUnit: 'minute' }).slice(-6)

/** `2026-11-22`, `2026-11` for whole months, `2026-11-22T06:00+01:00` for hours (the offset tells the doubled hour apart). */
function sliceLabel(start: Temporal.ZonedDateTime, every: Temporal.Duration): string {
  if (every.hours || every.minutes || every.seconds) {
    return start.toPlainDateTime().toString({ smallestUnit: 'minute' }) + offsetText(start)
  }
  if (start.day === 1 && !every.days && !every.weeks) return start.toPlainDate().toPlainYearMonth().toString()
  return start.toPlainDate().toString()
}

/** The newest slice that is over at `now`, or undefined where none is. */
export const newestClosed = (spec: SliceSpec, now: string): Slice | undefined =>
  closedAt(spec)(msOf(zonedTime(now, spec.zone)))

/**
 * The newest slice that is over at a time (milliseconds since 1970), for many times in their order: it is looked for anew
 * only where another is over. Of times in one slice it is the same object.
 * @throws FaultError `slices` where the rule cannot be read
 */
export function closedAt(spec: SliceSpec): (now: number) => Slice | undefined {
  const cut = cutter(spec)
  const tell = teller(cut)
  let known: { readonly from: number; readonly until: number; readonly slice: Slice | undefined } | undefined
  return (now) => {
    const time = Math.min(now, endOf(cut))
    if (known && time >= known.from && time < known.until) return known.slice
    let n = firstAt(cut, time)
    if (edge(cut, n).ms > time) n--
    const [from, until] = [n < 0 ? -Infinity : edge(cut, n).ms, edge(cut, n + 1).ms]
    while (n > 0 && isNothing(cut, n - 1)) n--
    known = { from, until, slice: n < 1 ? undefined : tell(edge(cut, n - 1), edge(cut, n)) }
    return known.slice
  }
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
  const start = msOf(zonedTime(from, cut.zone))
  let n = firstAt(cut, start)
  while (edge(cut, n).ms === start && isNothing(cut, n)) n++
  if (edge(cut, n).ms !== start)
    fail('slices', `no slice begins at ${span}; slices are cut every ${spec.every} from ${spec.from}`)
  return [teller(cut)(edge(cut, n), edge(cut, n + 1))]
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
const dueAt = ({ ms, zoned }: Edge, zone: string, grace: Temporal.Duration): number =>
  zoned || hasDays(grace)
    ? (zoned ?? instantOf(ms).toZonedDateTimeISO(zone)).add(grace).epochMilliseconds
    : ms + grace.total('milliseconds')

/** Is it as long as days, weeks, months or years are? */
const hasDays = ({ years, months, weeks, days }: Temporal.Duration): boolean =>
  years + months + weeks + days > 0

/**
 * The slices that close, their grace included, after a time and up to another that is included (milliseconds since 1970),
 * in their order; at most `limit`.
 * @throws FaultError `slices`
 */
export function closingsBetween(spec: SliceSpec, after: number, until: number, limit = Infinity): Closing[] {
  const cut = cutter(spec)
  const grace = lengthOf(spec, 'grace')
  const margin = disorder(grace)
  const tell = teller(cut)
  const first = msOf(
    instantOf(after - margin)
      .toZonedDateTimeISO(cut.zone)
      .subtract(grace),
  )
  const found: Closing[] = []
  let last = until + margin
  for (let n = Math.max(0, firstAt(cut, first) - 2); ; n++) {
    const end = edge(cut, n + 1)
    if (end.ms > endOf(cut)) break
    const at = dueAt(end, cut.zone, grace)
    if (at > last) break
    if (at > after && at <= until && !isNothing(cut, n)) found.push({ slice: tell(edge(cut, n), end), at })
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
  return dueAt({ ms: Date.parse(slice.to) }, spec.zone, lengthOf(spec, 'grace')) <= Date.parse(now)
}
