import { Temporal } from 'temporal-polyfill'

/** Minutes from one time to another on the clock of a zone. */
const minutesBetween = (from: number, to: number, zone: string): number => {
  const wall = (at: number) => Temporal.Instant.fromEpochMilliseconds(at).toZonedDateTimeISO(zone).toPlainDateTime()
  return Math.round(wall(from).until(wall(to)).total({ unit: 'minutes', relativeTo: wall(from) }))
} // prettier-ignore

/** A rule of crontab with one time a day, so that it comes at another of the same day; undefined where it cannot. */
export function movedCron(cron: string, at: number, to: number, zone: string): string | undefined {
  const [minute, hour, ...days] = cron.trim().split(/\s+/)
  if (!/^\d+$/.test(minute ?? '') || !/^\d+$/.test(hour ?? '')) return undefined
  const next = Number(hour) * 60 + Number(minute) + minutesBetween(at, to, zone)
  if (next < 0 || next >= 1440) return undefined
  return [next % 60, Math.floor(next / 60), ...days].join(' ')
}

/** A duration (ISO 8601) that is longer by the way from one time to another, `''` for none; undefined where it would be less than none. */
export function movedDuration(later: string | undefined, at: number, to: number): string | undefined {
  const minutes = Temporal.Duration.from(later ?? 'PT0S').total('minutes') + Math.round((to - at) / 60_000)
  if (minutes < 0) return undefined
  const [hours, rest] = [Math.floor(minutes / 60), minutes % 60]
  return minutes === 0 ? '' : `PT${hours > 0 ? `${hours}H` : ''}${rest > 0 ? `${rest}M` : ''}`
}
