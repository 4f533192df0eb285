import { escapeRegExp } from '../text/escapeRegExp'
import { Temporal } from 'temporal-polyfill'
import { fail } from '../fault'

const months = [
  'January', 'February', 'March', 'April', 'May', 'June',
  'July', 'August', 'September', 'October', 'November', 'December',
] // prettier-ignore
const weekdays = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']

type Field = (time: Temporal.ZonedDateTime, width: number) => string

const pad = (value: number, width: number): string =>
  value < 0 ? `-${String(-value).padStart(width, '0')}` : String(value).padStart(width, '0')

/** Year fields: two letters give the last two digits, any other width pads (UTS #35, Date Field Symbol Table). */
const year = (value: number, width: number): string =>
  width === 2 ? pad(Math.abs(value) % 100, 2) : pad(value, width)

const named = (names: readonly string[], value: number, width: number): string => {
  const name = names[value - 1]!
  return width === 3 ? name.slice(0, 3) : width === 5 ? name.slice(0, 1) : name
}

const offsetText = (time: Temporal.ZonedDateTime, width: number, zulu: boolean): string => {
  const minutes = Math.round(time.offsetNanoseconds / 6e10)
  if (zulu && minutes === 0) return 'Z'
  const sign = minutes < 0 ? '-' : '+'
  const hh = pad(Math.floor(Math.abs(minutes) / 60), 2)
  const mm = pad(Math.abs(minutes) % 60, 2)
  if (width === 1) return mm === '00' ? sign + hh : sign + hh + mm
  return sign + hh + (width === 3 || width === 5 ? ':' : '') + mm
}

/** The fields of UTS #35 that a file name or a statement needs; names are English. */
const fields: Readonly<Record<string, Field>> = {
  y: (t, w) => year(t.year, w),
  u: (t, w) => pad(t.year, w),
  Y: (t, w) => year(t.yearOfWeek ?? t.year, w),
  Q: (t, w) => (w >= 3 ? `Q${Math.ceil(t.month / 3)}` : pad(Math.ceil(t.month / 3), w)),
  M: (t, w) => (w >= 3 ? named(months, t.month, w) : pad(t.month, w)),
  L: (t, w) => (w >= 3 ? named(months, t.month, w) : pad(t.month, w)),
  w: (t, w) => pad(t.weekOfYear ?? 0, w),
  d: (t, w) => pad(t.day, w),
  D: (t, w) => pad(t.dayOfYear, w),
  E: (t, w) => named(weekdays, t.dayOfWeek, Math.max(w, 3)),
  a: (t) => (t.hour < 12 ? 'AM' : 'PM'),
  H: (t, w) => pad(t.hour, w),
  k: (t, w) => pad(t.hour === 0 ? 24 : t.hour, w),
  h: (t, w) => pad(t.hour % 12 === 0 ? 12 : t.hour % 12, w),
  K: (t, w) => pad(t.hour % 12, w),
  m: (t, w) => pad(t.minute, w),
  s: (t, w) => pad(t.second, w),
  S: (t, w) =>
    pad(t.millisecond * 1e6 + t.microsecond * 1e3 + t.nanosecond, 9)
      .padEnd(w, '0')
      .slice(0, w),
  V: (t) => t.timeZoneId,
  X: (t, w) => offsetText(t, w, true),
  x: (t, w) => offsetText(t, w, false),
  Z: (t, w) => offsetText(t, w === 5 ? 3 : 2, w === 5),
}

type Part = string | { readonly letter: string; readonly field: Field; readonly width: number }
const compiled = new Map<string, Part[]>()

function compile(pattern: string): Part[] {
  const parts: Part[] = []
  for (let at = 0; at < pattern.length;) {
    const char = pattern[at]!
    if (char === "'") {
      let text = ''
      let end = at + 1
      for (;;) {
        if (end >= pattern.length)
          fail('date-pattern', `date pattern "${pattern}": a quote is never closed`, { offset: at })
        if (pattern[end] === "'") {
          if (pattern[end + 1] !== "'") break
          text += "'"
          end += 2
        } else text += pattern[end++]
      }
      parts.push(end === at + 1 ? "'" : text)
      at = end + 1
    } else if (/[A-Za-z]/.test(char)) {
      let end = at
      while (pattern[end] === char) end++
      const field = fields[char]
      if (!field) {
        fail(
          'date-pattern',
          `date pattern "${pattern}": no field "${char}"; quote letters that stand for themselves: '${char}'`,
          { offset: at, length: end - at },
        )
      }
      parts.push({ letter: char, field, width: end - at })
      at = end
    } else {
      parts.push(char)
      at++
    }
  }
  return parts
}

function partsOf(pattern: string): Part[] {
  let parts = compiled.get(pattern)
  if (!parts) compiled.set(pattern, (parts = compile(pattern)))
  return parts
}

/**
 * Formats a time by a Unicode date pattern (UTS #35, "Date Field Symbol Table"), such as `yyyyMMdd`.
 * Letters between single quotes stand for themselves; `''` is one quote. Weeks are ISO 8601 weeks.
 * @throws FaultError `date-pattern` for a letter that is no field or a quote left open
 */
export function formatTime(time: Temporal.ZonedDateTime, pattern: string): string {
  return partsOf(pattern)
    .map((part) => (typeof part === 'string' ? part : part.field(time, part.width)))
    .join('')
}

/** The day that a clock shows, `yyyy-MM-dd`; years beyond four digits have a sign (ISO 8601). */
export const localDate = (time: Temporal.ZonedDateTime): string => time.toPlainDate().toString()

/** Day and time that a clock shows, `yyyy-MM-ddTHH:mm:ss[.fraction]`, without a zone (ISO 8601). */
export const localTime = (time: Temporal.ZonedDateTime): string => time.toPlainDateTime().toString()

type Unit = 'year' | 'month' | 'day' | 'dayOfYear' | 'hour' | 'minute' | 'second' | 'fraction'

/** The fields that a date can be read back from, as a regular expression. */
const readable: Readonly<Record<string, { unit: Unit; source: (width: number) => string }>> = {
  y: { unit: 'year', source: (width) => (width === 1 ? '\\d{1,4}' : `\\d{${width}}`) },
  u: { unit: 'year', source: (width) => (width === 1 ? '\\d{1,4}' : `\\d{${width}}`) },
  M: { unit: 'month', source: (width) => monthSource(width) },
  L: { unit: 'month', source: (width) => monthSource(width) },
  d: { unit: 'day', source: digits },
  D: { unit: 'dayOfYear', source: (width) => (width === 3 ? '\\d{3}' : '\\d{1,3}') },
  H: { unit: 'hour', source: digits },
  m: { unit: 'minute', source: digits },
  s: { unit: 'second', source: digits },
  S: { unit: 'fraction', source: (width) => `\\d{${width}}` },
}

function digits(width: number): string {
  return width === 1 ? '\\d{1,2}' : `\\d{${width}}`
}

const monthSource = (width: number): string =>
  width < 3 ? digits(width) : months.map((name) => (width === 3 ? name.slice(0, 3) : name)).join('|')

export interface TimeReader {
  /** A regular expression without groups. */
  readonly source: string
  readonly type: 'date' | 'timestamp'
  /** A date, or an instant where the pattern has an hour; undefined for a day that is not in the calendar. */
  read(text: string): string | undefined
}

/**
 * Reads times back that were written by a pattern (UTS #35): year, month, day or day of the year, hour, minute, second.
 * What the pattern leaves out is the first of its kind; two digits of a year are of this century's first hundred years.
 * @throws FaultError `date-pattern` for a field that a date cannot be read from, and for a pattern without a year
 */
export function timeReader(pattern: string, zone: string): TimeReader {
  const units: { unit: Unit; width: number }[] = []
  const pieces = partsOf(pattern).map((part) => {
    if (typeof part === 'string') return escapeRegExp(part)
    const field = readable[part.letter]
    if (!field)
      fail('date-pattern', `date pattern "${pattern}": "${part.letter}" cannot be read back from a name`)
    units.push({ unit: field.unit, width: part.width })
    return { source: field.source(part.width) }
  })
  const joined = (open: string) =>
    pieces.map((piece) => (typeof piece === 'string' ? piece : `${open}${piece.source})`)).join('')
  if (!units.some(({ unit }) => unit === 'year'))
    fail('date-pattern', `date pattern "${pattern}" has no year; write yyyy for it`)
  const whole = new RegExp(`^${joined('(')}$`)
  const timed = units.some(({ unit }) => unit === 'hour')
  return {
    source: joined('(?:'),
    type: timed ? 'timestamp' : 'date',
    read(text) {
      const found = whole.exec(text)
      if (!found) return undefined
      const values: Partial<Record<Unit, number>> = {}
      for (const [i, { unit, width }] of units.entries()) {
        const value = unitValue(found[i + 1]!, unit, width)
        // a field that stands twice says the same twice
        if (values[unit] !== undefined && values[unit] !== value) return undefined
        values[unit] = value
      }
      return timeOf(values, timed, zone)
    },
  }
}

function unitValue(text: string, unit: Unit, width: number): number {
  if (unit === 'month' && width >= 3) return months.findIndex((name) => name.startsWith(text)) + 1
  if (unit === 'fraction') return Number(text.slice(0, 9).padEnd(9, '0'))
  return Number(text) + (unit === 'year' && width === 2 ? 2000 : 0)
}

function timeOf(
  {
    year: inYear = 0,
    month = 1,
    day = 1,
    dayOfYear,
    hour = 0,
    minute = 0,
    second = 0,
    fraction = 0,
  }: Partial<Record<Unit, number>>,
  timed: boolean,
  zone: string,
): string | undefined {
  try {
    let date = Temporal.PlainDate.from({ year: inYear, month, day }, { overflow: 'reject' })
    if (dayOfYear !== undefined) {
      if (dayOfYear < 1 || dayOfYear > date.daysInYear) return undefined
      date = Temporal.PlainDate.from({ year: inYear, month: 1, day: 1 }).add({ days: dayOfYear - 1 })
    }
    if (!timed) return date.toString()
    const time = Temporal.PlainTime.from(
      {
        hour,
        minute,
        second,
        millisecond: Math.floor(fraction / 1e6),
        microsecond: Math.floor(fraction / 1e3) % 1000,
        nanosecond: fraction % 1000,
      },
      { overflow: 'reject' },
    )
    return date.toZonedDateTime({ timeZone: zone, plainTime: time }).toInstant().toString()
  } catch (error) {
    if (error instanceof RangeError) return undefined
    throw error
  }
}
