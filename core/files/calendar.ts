const days = [31, 29, 31, 30, 31, 30, 31, 31, 30, 31, 30, 31]

/** Is it a day of the Gregorian calendar? Years before the first are counted from 0 (ISO 8601). */
export function isDay(year: number, month: number, day: number): boolean {
  if (month < 1 || month > 12 || day < 1 || day > days[month - 1]!) return false
  return month !== 2 || day < 29 || (year % 4 === 0 && (year % 100 !== 0 || year % 400 === 0))
}
