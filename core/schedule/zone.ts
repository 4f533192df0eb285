import { Temporal } from 'temporal-polyfill'

/** What is wrong with the name of a time zone; undefined where nothing is. */
export function zoneFault(zone: string): string | undefined {
  try {
    Temporal.Instant.fromEpochMilliseconds(0).toZonedDateTimeISO(zone)
    return undefined
  } catch {
    return `"${zone}" is no time zone; write one of the IANA database, such as Europe/Oslo`
  }
}
