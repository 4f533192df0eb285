import { Temporal } from 'temporal-polyfill'
import { quantile } from '../forecast/quantile'

/** What can be said of a file that a row and a slice expect. */
export const arrivalStates = {
  expected: 'E',
  here: 'H',
  loaded: 'L',
  late: 'T',
  missing: 'M',
  empty: 'Z',
  again: 'A',
  without: 'W',
  unasked: 'N',
} as const
export type ArrivalState = keyof typeof arrivalStates

const byLetter = new Map(Object.entries(arrivalStates).map(([state, letter]) => [letter as string, state as ArrivalState])) // prettier-ignore

/** The state that a letter stands for. */
export const arrivalState = (letter: string): ArrivalState => byLetter.get(letter) ?? 'unasked'

/** States that somebody has to see to. */
export const isOverdue = (state: ArrivalState): boolean => state === 'late' || state === 'missing'

/** A file that is there. */
export interface ArrivedFile {
  readonly path: string
  /** Bytes. */
  readonly size: number
  /** ISO 8601 instant. */
  readonly modified: string
}

export interface Expecting {
  readonly files: readonly ArrivedFile[]
  /** Is a file loaded as it is now; undefined where a file of its name never was. */
  readonly loaded: (file: ArrivedFile) => 'so' | 'otherwise' | undefined
  /** Its slice was loaded: a file that is no longer there went its way. */
  readonly covered: boolean
  /** Milliseconds since 1970; undefined where nobody knows. */
  readonly due: number | undefined
  /** Milliseconds after it was due from which on it is missing. */
  readonly missingAfter: number
}

/** What is said of the files of one row and slice at a time (milliseconds since 1970). */
export function stateOfArrival({ files, loaded, covered, due, missingAfter }: Expecting, now: number): ArrivalState {
  if (files.length > 0) {
    if (files.every(({ size }) => size === 0)) return 'empty'
    const known = files.map(loaded)
    if (known.every((one) => one === 'so')) return 'loaded'
    // a name that was loaded and has other content, or another file beside those that were
    if (known.some((one) => one !== undefined)) return 'again'
    return 'here'
  }
  if (covered) return 'loaded'
  if (due === undefined || now < due) return 'expected'
  return now < due + missingAfter ? 'late' : 'missing'
} // prettier-ignore

/** When files of a row usually come: seconds after the end of their slice. */
export interface Habit {
  readonly median: number
  /** Nine of ten have come by then. */
  readonly late: number
  /** Files that it is known from. */
  readonly known: number
}

/** Fewer say nothing. */
const fewest = 5

/** The habit of a row, from the seconds after the ends of their slices at which its files came; undefined where too few did. */
export const habitOf = (seconds: readonly number[]): Habit | undefined =>
  seconds.length < fewest
    ? undefined
    : { median: quantile(seconds, 0.5), late: quantile(seconds, 0.9), known: seconds.length }

/**
 * When a file is due by what its control row says: a time of the clock (`05:30`, `05:30:00`), the next after its slice is
 * over, or a length after that (ISO 8601, `PT6H`). Milliseconds since 1970; undefined where it says neither.
 * @param over end of the slice, ISO 8601
 */
export function dueBySaying(said: string, over: string, zone: string): number | undefined {
  const end = Temporal.Instant.from(over).toZonedDateTimeISO(zone)
  try {
    if (/^-?P/.test(said.trim())) return end.add(Temporal.Duration.from(said.trim())).epochMilliseconds
    const time = Temporal.PlainTime.from(said.trim())
    const same = end.toPlainDate().toZonedDateTime({ timeZone: zone, plainTime: time })
    const at = Temporal.ZonedDateTime.compare(same, end) >= 0 ? same : end.toPlainDate().add({ days: 1 }).toZonedDateTime({ timeZone: zone, plainTime: time })
    return at.epochMilliseconds
  } catch {
    return undefined
  }
} // prettier-ignore
