import { Temporal } from 'temporal-polyfill'
import { z } from 'zod'

const clockTime = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'a time of the day, such as 22:00')

/** Hours of every day in which nobody is told anything; where they end before they begin they go over midnight. */
export const quietSchema = z
  .strictObject({ from: clockTime, until: clockTime })
  .refine(({ from, until }) => from !== until, 'they would end as they begin')
export type Quiet = z.output<typeof quietSchema>

/** A span of quiet hours; milliseconds since 1970, half-open. */
export interface QuietSpan {
  readonly from: number
  readonly until: number
}

/** The quiet hours that meet a span of time, by the clock of a zone, in order. */
export function quietBetween(quiet: Quiet, zone: string, from: number, until: number): QuietSpan[] {
  const dayOf = (at: number) => Temporal.Instant.fromEpochMilliseconds(Math.floor(at)).toZonedDateTimeISO(zone).toPlainDate()
  const last = dayOf(until)
  const spans: QuietSpan[] = []
  for (let day = dayOf(from).subtract({ days: 1 }); Temporal.PlainDate.compare(day, last) <= 0; day = day.add({ days: 1 })) {
    const span = quietOf(quiet, zone, day)
    if (span.from < span.until && span.until > from && span.from <= until) spans.push(span)
  }
  return spans
} // prettier-ignore

/** The quiet hours that begin on a day. */
function quietOf({ from, until }: Quiet, zone: string, day: Temporal.PlainDate): QuietSpan {
  const last = until > from ? day : day.add({ days: 1 })
  return {
    from: day.toZonedDateTime({ timeZone: zone, plainTime: from }).epochMilliseconds,
    until: last.toZonedDateTime({ timeZone: zone, plainTime: until }).epochMilliseconds,
  }
}

/**
 * When the quiet hours end that a time lies in, by the clock of a zone; undefined where it lies in none. Milliseconds
 * since 1970. Where the clock leaves out the end, they end as soon as it has passed it.
 */
export const quietUntil = (quiet: Quiet, zone: string, now: number): number | undefined =>
  quietBetween(quiet, zone, now, now).find(({ from, until }) => from <= now && now < until)?.until
