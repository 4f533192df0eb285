import { Temporal } from 'temporal-polyfill'
import { isClosed, newestClosed, slicesBetween, slicesMeeting, type Slice } from './slices'
import type { SliceSpec } from './spec'

/** A slice as a calendar shows it. */
export interface CalendarSlice extends Slice {
  /** Over, its grace gone by; over and within its grace; going on; or still to come. */
  readonly stands: 'closed' | 'grace' | 'open' | 'coming'
  /** The clock of its zone is changed within it. */
  readonly change: 'forward' | 'back' | null
}

export interface SliceCalendar {
  /** Around now, in order. */
  readonly slices: readonly CalendarSlice[]
  /** The next slices in which the clock is changed. */
  readonly changes: readonly CalendarSlice[]
}

/** Changes of the clock that are looked for. */
const mostChanges = 2

/**
 * The slices of a rule around a time: so many before it and after it at most.
 * @param now ISO 8601 instant
 * @throws FaultError `slices` where the rule cannot be read
 */
export function sliceCalendar(spec: SliceSpec, now: string, each = 14): SliceCalendar {
  const at = Temporal.Instant.from(now).toZonedDateTimeISO(spec.zone)
  const newest = newestClosed(spec, now)
  const every = Temporal.Duration.from(spec.every)
  const times = (n: number) => Temporal.Duration.from({ years: every.years * n, months: every.months * n, weeks: every.weeks * n, days: every.days * n, hours: every.hours * n, minutes: every.minutes * n, seconds: every.seconds * n })
  const first = newest ? Temporal.Instant.from(newest.to).toZonedDateTimeISO(spec.zone).subtract(times(each)) : at
  const last = (newest ? Temporal.Instant.from(newest.to).toZonedDateTimeISO(spec.zone) : later(at, spec)).add(times(each + 1))
  const text = (one: Temporal.ZonedDateTime) => one.toInstant().toString()
  const found = slicesBetween(spec, text(first), text(last), 10_000)
  const before = found.filter(({ to }) => Date.parse(to) <= at.epochMilliseconds)
  const around = [...before.slice(-each), ...found.slice(before.length).slice(0, each)]
  const drawn = (slice: Slice): CalendarSlice => ({ ...slice, stands: standing(slice, spec, at.epochMilliseconds), change: changeWithin(slice, spec.zone) })
  const changes: CalendarSlice[] = []
  let next = at.getTimeZoneTransition('next')
  while (next && changes.length < mostChanges && next.epochMilliseconds < at.add({ years: 2 }).epochMilliseconds) {
    const [slice] = slicesMeeting(spec, text(next.subtract({ milliseconds: 1 })), text(next.add({ milliseconds: 1 }))).filter((one) => changeWithin(one, spec.zone))
    if (slice) changes.push(drawn(slice))
    next = next.getTimeZoneTransition('next')
  }
  return { slices: around.map(drawn), changes }
} // prettier-ignore

/** The beginning of a rule that has not begun. */
const later = (at: Temporal.ZonedDateTime, { from, zone }: SliceSpec): Temporal.ZonedDateTime => {
  const begins = from.includes('T') && /(Z|[+-]\d\d:?\d\d)$/.test(from) ? Temporal.Instant.from(from).toZonedDateTimeISO(zone) : Temporal.PlainDateTime.from(from).toZonedDateTime(zone) // prettier-ignore
  return Temporal.ZonedDateTime.compare(begins, at) > 0 ? begins : at
}

function standing({ from, to }: Slice, spec: SliceSpec, now: number): CalendarSlice['stands'] {
  if (Date.parse(from) > now) return 'coming'
  if (Date.parse(to) > now) return 'open'
  return isClosed({ from, to, label: '' }, spec, new Date(now).toISOString()) ? 'closed' : 'grace'
}

/** Is the clock of a zone set forward or back within a slice, its end included? */
export function changeWithin({ from, to }: Slice, zone: string): 'forward' | 'back' | null {
  const offset = (text: string) => Temporal.Instant.from(text).toZonedDateTimeISO(zone).offsetNanoseconds
  const [begins, ends] = [offset(from), offset(to)]
  // back and forth within one, such as a year, leaves it as long as it is
  return begins === ends ? null : ends > begins ? 'forward' : 'back'
}
