import type { Temporal } from 'temporal-polyfill'
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

type Part = string | { readonly field: Field; readonly width: number }
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
      parts.push({ field, width: end - at })
      at = end
    } else {
      parts.push(char)
      at++
    }
  }
  return parts
}

/**
 * Formats a time by a Unicode date pattern (UTS #35, "Date Field Symbol Table"), such as `yyyyMMdd`.
 * Letters between single quotes stand for themselves; `''` is one quote. Weeks are ISO 8601 weeks.
 * @throws FaultError `date-pattern` for a letter that is no field or a quote left open
 */
export function formatTime(time: Temporal.ZonedDateTime, pattern: string): string {
  let parts = compiled.get(pattern)
  if (!parts) compiled.set(pattern, (parts = compile(pattern)))
  return parts.map((part) => (typeof part === 'string' ? part : part.field(time, part.width))).join('')
}
