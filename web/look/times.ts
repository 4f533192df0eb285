/** The one place where times, lengths and numbers are put into words. */

/** 1 min 12 s; 340 ms; 2 h 5 min. Takes seconds. */
export function lengthText(seconds: number): string {
  if (seconds < 0) return '0 s'
  if (seconds < 1) return `${Math.max(1, Math.round(seconds * 1000))} ms`
  if (seconds < 10) return `${Math.round(seconds * 10) / 10} s`
  if (seconds < 60) return `${Math.round(seconds)} s`
  const minutes = Math.floor(seconds / 60)
  if (minutes < 60) {
    const rest = Math.round(seconds - minutes * 60)
    return rest === 0 ? `${minutes} min` : `${minutes} min ${rest} s`
  }
  const hours = Math.floor(minutes / 60)
  return minutes % 60 === 0 ? `${hours} h` : `${hours} h ${minutes % 60} min`
}

const months = ['Jan', 'Feb', 'Mar', 'Apr', 'May', 'Jun', 'Jul', 'Aug', 'Sep', 'Oct', 'Nov', 'Dec']
const two = (value: number): string => String(value).padStart(2, '0')

export const clock = (iso: string): string => {
  const time = new Date(iso)
  return `${two(time.getHours())}:${two(time.getMinutes())}`
}

/** 22 Nov 05:52, with the year where it is not this one. */
export function timeText(iso: string, now = new Date()): string {
  const time = new Date(iso)
  const year = time.getFullYear() === now.getFullYear() ? '' : ` ${time.getFullYear()}`
  return `${time.getDate()} ${months[time.getMonth()]}${year} ${clock(iso)}`
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
export const count = (value: number, one: string, many = `${one}s`): string =>
  `${numberText(value)} ${value === 1 ? one : many}`
