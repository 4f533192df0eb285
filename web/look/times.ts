/** The one place where times, lengths and numbers are put into words. */

/** 1 min 12 s; 340 ms; 2 h 5 min. Takes seconds. */
export function lengthText(seconds: number): string {
  if (seconds < 0) return '0 s'
  if (seconds < 1) return `${Math.max(1, Math.round(seconds * 1000))} ms`
  if (seconds < 9.95) return `${Math.round(seconds * 10) / 10} s`
  // rounded first, so that nothing takes 1 min 60 s
  const whole = Math.round(seconds)
  if (whole < 60) return `${whole} s`
  const minutes = Math.floor(whole / 60)
  if (minutes < 60) {
    const rest = whole - minutes * 60
    return rest === 0 ? `${minutes} min` : `${minutes} min ${rest} s`
  }
  const hours = Math.floor(minutes / 60)
  return minutes % 60 === 0 ? `${hours} h` : `${hours} h ${minutes % 60} min`
}

const parts = new Map<string, Intl.DateTimeFormat>()

/** Fields of a time in a zone; in the reader's own where none is given. */
function fieldsOf(iso: string, zone = ''): Record<string, string> {
  let format = parts.get(zone)
  if (!format) {
    format = new Intl.DateTimeFormat('en-GB', {
      day: 'numeric',
      month: 'short',
      year: 'numeric',
      hour: '2-digit',
      minute: '2-digit',
      hourCycle: 'h23',
      ...(zone ? { timeZone: zone } : {}),
    })
    parts.set(zone, format)
  }
  return Object.fromEntries(format.formatToParts(new Date(iso)).map(({ type, value }) => [type, value]))
}

export function clock(iso: string, zone?: string): string {
  const { hour, minute } = fieldsOf(iso, zone)
  return `${hour}:${minute}`
}

/** 22 Nov 05:52, with the year where it is not this one; in the job's zone where it matters. */
export function timeText(iso: string, zone?: string): string {
  const { day, month, year, hour, minute } = fieldsOf(iso, zone)
  const other = Number(year) === new Date().getFullYear() ? '' : ` ${year}`
  return `${day} ${month!.slice(0, 3)}${other} ${hour}:${minute}`
}

/** A time in a zone, and in the reader's own where that is another: `3 Dec 05:50 (04:50 here)`. */
export function zoneText(iso: string, zone: string, here?: string): string {
  const [there, own] = [timeText(iso, zone), timeText(iso, here)]
  if (there === own) return there
  const day = (text: string) => text.slice(0, -6)
  return `${there} (${day(there) === day(own) ? clock(iso, here) : own} here)`
}

/** A span as it was asked for; one between two instants, as starts ask for, as people read it: `1 Dec` for a whole day. */
export function spanText(span: string, zone?: string): string {
  const [from, to] = span.split('/')
  if (
    !from ||
    !to ||
    !/T.*(Z|[+-]\d\d:?\d\d)$/.test(from) ||
    Number.isNaN(Date.parse(from)) ||
    Number.isNaN(Date.parse(to))
  )
    return span
  const [first, end] = [timeText(from, zone), timeText(to, zone)]
  const midnight = ' 00:00'
  const day = (text: string) => text.slice(0, -midnight.length)
  if (!first.endsWith(midnight) || !end.endsWith(midnight))
    return `${first} – ${day(first) === day(end) ? clock(to, zone) : end}`
  const last = day(timeText(new Date(Date.parse(to) - 1).toISOString(), zone))
  return last === day(first) ? last : `${day(first)} – ${last}`
}

export function dayText(iso: string): string {
  return new Date(iso).toLocaleDateString('en-GB', { weekday: 'long', day: 'numeric', month: 'long' })
}

export const numberText = (value: number): string => value.toLocaleString('en')

/** 1.4 MB, by powers of 1,000. */
export function bytesText(bytes: number): string {
  if (bytes < 1000) return `${bytes} B`
  for (const [unit, size] of [
    ['kB', 1e3],
    ['MB', 1e6],
    ['GB', 1e9],
  ] as const) {
    // prettier-ignore
    if (bytes < size * 1000) return `${(bytes / size).toFixed(bytes < size * 10 ? 1 : 0)} ${unit}`
  }
  return `${(bytes / 1e12).toFixed(1)} TB`
}

/** 1 load, 2 loads. */
export { count } from '../../core/text/someOf'
