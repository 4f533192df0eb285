import { Temporal } from 'temporal-polyfill'

/**
 * By when a run is to be done that began at a time: the next time that the clock of a zone shows `08:00`, or a duration
 * (ISO 8601) later. Milliseconds since 1970.
 */
export function dueBy(due: string, began: number, zone: string): number {
  const at = Temporal.Instant.fromEpochMilliseconds(Math.round(began)).toZonedDateTimeISO(zone)
  if (due.startsWith('P')) return at.add(due).epochMilliseconds
  const today = at.toPlainDate().toZonedDateTime({ timeZone: zone, plainTime: due })
  const day = Temporal.ZonedDateTime.compare(today, at) > 0 ? today : at.toPlainDate().add({ days: 1 }).toZonedDateTime({ timeZone: zone, plainTime: due }) // prettier-ignore
  return day.epochMilliseconds
}

/** Will a run likely be done only after it is due, or not at all? Times are ISO 8601 instants. */
export const isLate = ({ due, ends, unknown, refused, givesUp }: { readonly due: string | null; readonly ends: string; readonly unknown: boolean; readonly refused: boolean; readonly givesUp: string | null }): boolean =>
  due !== null && !refused && (givesUp !== null || (!unknown && Date.parse(ends) > Date.parse(due))) // prettier-ignore
