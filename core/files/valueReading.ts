import { patternFault } from './datePattern'

/** How the values of a column are written, where it is not the plain way. */
export interface ValueReading {
  /** The sign before the decimals. */
  readonly decimal?: ',' | undefined
  /** The sign between groups of three digits; a blank is any kind of blank. */
  readonly thousands?: ',' | '.' | ' ' | "'" | undefined
  /** Signs at numbers that are left out: of money, of shares. Brackets around a number, and a minus behind it, make it negative. */
  readonly marks?: readonly string[] | undefined
  /** Patterns of days and times (UTS #35). */
  readonly dates?: readonly string[] | undefined
  /** Words that stand for nothing. */
  readonly nulls?: readonly string[] | undefined
  /** Words for true, and for false. */
  readonly yes?: readonly string[] | undefined
  readonly no?: readonly string[] | undefined
}

export const thousandSigns = [',', '.', ' ', "'"] as const

/** Does it change nothing? */
export const isPlain = (reading: ValueReading): boolean =>
  Object.values(reading).every((value) => value === undefined || (Array.isArray(value) && value.length === 0))

/** What contradicts itself in it, in words; nothing where it can be followed. */
export function readingFault(
  reading: ValueReading,
): { message: string; key: keyof ValueReading } | undefined {
  const decimal = reading.decimal ?? '.'
  if (reading.thousands === decimal)
    return {
      message: `"${decimal}" cannot part both thousands and decimals: say decimal, too`,
      key: 'thousands',
    }
  for (const pattern of reading.dates ?? []) {
    const message = patternFault(pattern)
    if (message) return { message, key: 'dates' }
  }
  const both = (reading.yes ?? []).find((word) =>
    (reading.no ?? []).some((other) => other.toLowerCase() === word.toLowerCase()),
  )
  if (both !== undefined) return { message: `"${both}" cannot be both yes and no`, key: 'yes' }
  return undefined
}

/** A reading in a few words, with an example of what it reads. */
export function readingText({ decimal, thousands, marks, dates, nulls, yes, no }: ValueReading): string {
  const signs = { ',': 'comma', '.': 'point', ' ': 'blank', "'": 'apostrophe' }
  return [
    decimal && 'decimal comma',
    thousands && `thousands by ${signs[thousands]}`,
    marks && marks.length > 0 && `${marks.join(' ')} left out`,
    dates && dates.length > 0 && `${dates.slice(0, 2).join(' or ')}${dates.length > 2 ? ' …' : ''}`,
    yes && no && `${yes.slice(0, 2).join(', ')} or ${no.slice(0, 2).join(', ')}`,
    nulls && nulls.length > 0 && `${nulls.slice(0, 3).join(' ')}${nulls.length > 3 ? ' …' : ''} for nothing`,
  ]
    .filter(Boolean)
    .join(', ')
}

/** The same in every part? */
export const sameReading = (a: ValueReading | undefined, b: ValueReading | undefined): boolean =>
  readingText(a ?? {}) === readingText(b ?? {})
