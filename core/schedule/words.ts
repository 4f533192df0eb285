/** A length of time as it is said of what is late: `2 h 5 min`, `40 s`. Takes milliseconds. */
export function lengthWords(milliseconds: number): string {
  const seconds = Math.max(0, Math.round(milliseconds / 1000))
  if (seconds < 60) return `${seconds} s`
  const minutes = Math.round(seconds / 60)
  if (minutes < 60) return `${minutes} min`
  const [days, hours, rest] = [Math.floor(minutes / 1440), Math.floor(minutes / 60) % 24, minutes % 60]
  const parts =
    days > 0 ? [`${days} d`, hours > 0 && `${hours} h`] : [`${hours} h`, rest > 0 && `${rest} min`]
  return parts.filter(Boolean).join(' ')
}
