import { Temporal } from 'temporal-polyfill'
import { z } from 'zod'

const clockTime = z.string().regex(/^([01]\d|2[0-3]):[0-5]\d$/, 'a time of the day, such as 22:00')

/** Hours of every day in which nobody is told anything; where they end before they begin they go over midnight. */
export const quietSchema = z
  .strictObject({ from: clockTime, until: clockTime })
  .refine(({ from, until }) => from !== until, 'they would end as they begin')
export type Quiet = z.output<typeof quietSchema>

/**
 * When the quiet hours end that a time lies in, by the clock of a zone; undefined where it lies in none. Milliseconds
 * since 1970. Where the clock leaves out the end, they end as soon as it has passed it.
 */
export function quietUntil({ from, until }: Quiet, zone: string, now: number): number | undefined {
  const at = Temporal.Instant.fromEpochMilliseconds(now).toZonedDateTimeISO(zone)
  for (const day of [at.toPlainDate().subtract({ days: 1 }), at.toPlainDate()]) {
    const begins = day.toZonedDateTime({ timeZone: zone, plainTime: from }).epochMilliseconds
    const last = until > from ? day : day.add({ days: 1 })
    const ends = last.toZonedDateTime({ timeZone: zone, plainTime: until }).epochMilliseconds
    if (begins <= now && now < ends) return ends
  }
  return undefined
}
