import { Temporal } from 'temporal-polyfill'

const units = ['years', 'months', 'weeks', 'days', 'hours', 'minutes', 'seconds'] as const

/** A duration (ISO 8601) as people say it: `P1D` each day, `PT15M` every 15 minutes; itself where it cannot be read. */
export function everyText(duration: string): string {
  try {
    const read = Temporal.Duration.from(duration)
    const parts = units.filter((unit) => read[unit] !== 0)
    const [only] = parts
    if (only && parts.length === 1)
      return read[only] === 1 ? `each ${only.slice(0, -1)}` : `every ${read[only]} ${only}`
    return parts.length === 0 ? duration : `every ${lengthOf(read)}`
  } catch {
    return duration
  }
}

/** A duration (ISO 8601) as a length: `PT5H` 5 hours; itself where it cannot be read. */
export function spanText(duration: string): string {
  try {
    return lengthOf(Temporal.Duration.from(duration)) || duration
  } catch {
    return duration
  }
}

const lengthOf = (read: Temporal.Duration): string =>
  units
    .filter((unit) => read[unit] !== 0)
    .map((unit) => `${read[unit]} ${read[unit] === 1 ? unit.slice(0, -1) : unit}`)
    .join(' ')
