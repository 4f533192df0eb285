import { Temporal } from 'temporal-polyfill'

export interface Tick {
  /** Milliseconds since 1970. */
  readonly at: number
  readonly label: string
}

type Length = Readonly<Partial<Record<'years' | 'months' | 'weeks' | 'days' | 'hours', number>>>
type Step = readonly [Length, (at: Temporal.ZonedDateTime) => string]

const day = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' })
const month = new Intl.DateTimeFormat('en-GB', { month: 'short', year: 'numeric', timeZone: 'UTC' })
/** Its date as the wall shows it, where a formatter of UTC finds it. */
const wall = (at: Temporal.ZonedDateTime): Date => new Date(Date.UTC(at.year, at.month - 1, at.day))
const hours = (at: Temporal.ZonedDateTime) => (at.hour === 0 ? day.format(wall(at)) : at.toPlainTime().toString({ smallestUnit: 'minute' })) // prettier-ignore
const days = (at: Temporal.ZonedDateTime) => day.format(wall(at))
const months = (at: Temporal.ZonedDateTime) => month.format(wall(at))
const years = (at: Temporal.ZonedDateTime) => String(at.year)

const steps: readonly Step[] = [
  [{ hours: 1 }, hours],
  [{ hours: 3 }, hours],
  [{ hours: 6 }, hours],
  [{ days: 1 }, days],
  [{ days: 2 }, days],
  [{ weeks: 1 }, days],
  [{ months: 1 }, months],
  [{ months: 3 }, months],
  [{ years: 1 }, years],
  [{ years: 5 }, years],
]

/**
 * Points in [from, until) for an axis of time, at the hours, days (weeks begin on Monday, ISO 8601), months or years of a
 * zone: the shortest step that gives no more than `most`.
 */
export function ticks(from: number, until: number, most: number, zone: string): Tick[] {
  for (const [step, label] of steps) {
    const rough = Temporal.Duration.from(step).total({ unit: 'hours', relativeTo: '2026-01-01' }) * 3_600_000
    if ((until - from) / rough > most) continue
    const found: Tick[] = []
    const start = Temporal.Instant.fromEpochMilliseconds(from).toZonedDateTimeISO(zone)
    for (let n = 0, first = firstOf(start, step); ; n++) {
      const at = first.add(times(step, n))
      if (at.epochMilliseconds >= until) break
      if (at.epochMilliseconds >= from) found.push({ at: at.epochMilliseconds, label: label(at) })
    }
    return found
  }
  return []
}

const times = (step: Length, n: number): Length =>
  Object.fromEntries(Object.entries(step).map(([unit, size]) => [unit, size * n]))

/** Where the step begins that a time lies in. */
function firstOf(at: Temporal.ZonedDateTime, step: Length): Temporal.ZonedDateTime {
  const today = at.startOfDay()
  if (step.hours) return today
  if (step.days) return today
  if (step.weeks) return today.subtract({ days: at.dayOfWeek - 1 })
  if (step.months) return today.with({ day: 1, month: at.month - ((at.month - 1) % step.months) })
  return today.with({ day: 1, month: 1, year: at.year - (at.year % (step.years ?? 1)) })
}
