import { Temporal } from 'temporal-polyfill'

/**
 * Does a day of the zone begin at this moment? A day begins at the first moment that its clock shows, which is not 00:00
 * where the clock is put forward at midnight.
 * @param moment ISO 8601 instant
 */
export function beginsDay(moment: string, zone: string): boolean {
  const at = Temporal.Instant.from(moment).toZonedDateTimeISO(zone)
  return at.epochNanoseconds === at.startOfDay().epochNanoseconds
}

/** `2026-11-03 06:00`, as the clock of the zone shows a moment. */
export function clockText(moment: string, zone: string): string {
  const at = Temporal.Instant.from(moment).toZonedDateTimeISO(zone).toPlainDateTime()
  return at.toString({ smallestUnit: at.second === 0 ? 'minute' : 'second' }).replace('T', ' ')
}
