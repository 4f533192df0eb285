import { escapeRegExp } from '../text/escapeRegExp'
import { monthNames } from './monthNames'

/**
 * Patterns of days and times in the letters of Unicode's UTS #35 (Date Field Symbols): yyyy yy M MM MMM MMMM d dd H HH h
 * hh m mm s ss S… a, E (left out), and text in single quotes. What they become: a regular expression (RE2) that the
 * whole text must fit, and formats of DuckDB's `try_strptime`.
 */
interface Piece {
  readonly regex: string
  readonly strptime: string
}

const numbers: Readonly<Record<string, Piece>> = {
  yyyy: { regex: '[0-9]{4}', strptime: '%Y' },
  y: { regex: '[0-9]{4}', strptime: '%Y' },
  // 69 to 99 are of the last century, as POSIX has it (strptime)
  yy: { regex: '[0-9]{2}', strptime: '%y' },
  MM: { regex: '(0[1-9]|1[0-2])', strptime: '%m' },
  M: { regex: '(0?[1-9]|1[0-2])', strptime: '%m' },
  dd: { regex: '(0[1-9]|[12][0-9]|3[01])', strptime: '%d' },
  d: { regex: '(0?[1-9]|[12][0-9]|3[01])', strptime: '%d' },
  HH: { regex: '([01][0-9]|2[0-3])', strptime: '%H' },
  H: { regex: '([01]?[0-9]|2[0-3])', strptime: '%H' },
  hh: { regex: '(0[1-9]|1[0-2])', strptime: '%I' },
  h: { regex: '(0?[1-9]|1[0-2])', strptime: '%I' },
  mm: { regex: '[0-5][0-9]', strptime: '%M' },
  m: { regex: '[0-5]?[0-9]', strptime: '%M' },
  ss: { regex: '[0-5][0-9]', strptime: '%S' },
  s: { regex: '[0-5]?[0-9]', strptime: '%S' },
  a: { regex: '([aApP][mM]|[aApP]\\.[mM]\\.)', strptime: '%p' },
}
const month: Piece = { regex: '\\p{L}{3,}\\.?', strptime: '%m' }
const weekday: Piece = { regex: '\\p{L}{2,}\\.?', strptime: '' }

type Part = { readonly letters: string } | { readonly text: string }

function partsOf(pattern: string): Part[] {
  const parts: Part[] = []
  const pieces = pattern.matchAll(/''|'((?:[^']|'')*)'|([A-Za-z])\2*|[^A-Za-z']+|'/g)
  for (const [whole, quoted] of pieces) {
    if (whole === "''") parts.push({ text: "'" })
    else if (quoted !== undefined) parts.push({ text: quoted.replaceAll("''", "'") })
    else if (/^[A-Za-z]/.test(whole)) parts.push({ letters: whole })
    else parts.push({ text: whole })
  }
  return parts
}

function pieceOf(letters: string): Piece | undefined {
  if (Object.hasOwn(numbers, letters)) return numbers[letters]
  if (/^(M{3,4}|L{3,4})$/.test(letters)) return month
  if (/^E{1,4}$/.test(letters)) return weekday
  if (/^S{1,6}$/.test(letters)) return { regex: '[0-9]{1,6}', strptime: '%f' }
  return undefined
}

/** What is wrong with a pattern, in words; nothing where it can be read by. */
export function patternFault(pattern: string): string | undefined {
  const parts = partsOf(pattern)
  const letters = parts.flatMap((part) => ('letters' in part ? [part.letters] : []))
  const unknown = letters.find((one) => !pieceOf(one))
  if (unknown !== undefined)
    return `"${unknown}" is no part of a date: yyyy, MM, dd, HH, mm, ss, SSS, a, MMM and EEE are; text goes in single quotes`
  const has = (letter: string) => letters.some((one) => one.startsWith(letter))
  const day = has('d') || has('M') || has('y')
  if (day && !(has('d') && has('M') && has('y'))) return `"${pattern}" lacks a year, a month or a day`
  if (!day && !has('H') && !has('h')) return `"${pattern}" names neither a day nor a time`
  if (has('h') && !has('a'))
    return `"${pattern}" has hours to 12 without a: morning and afternoon are the same then`
  if (has('m') && !has('H') && !has('h')) return `"${pattern}" has minutes without hours; months are M`
  return undefined
}

/** What a pattern reads. */
export function patternKind(pattern: string): 'date' | 'time' | 'timestamp' {
  const letters = partsOf(pattern).flatMap((part) => ('letters' in part ? [part.letters] : []))
  const day = letters.some((one) => /^[dMy]/.test(one))
  const time = letters.some((one) => /^[Hh]/.test(one))
  return day ? (time ? 'timestamp' : 'date') : 'time'
}

/** The regular expression that a text of this pattern fits. */
export const patternRegex = (pattern: string): string =>
  partsOf(pattern)
    .map((part) => ('text' in part ? escapeRegExp(part.text) : pieceOf(part.letters)!.regex))
    .join('')

/** The pattern in the letters of C's and Python's strptime; a name of a month is `%b`. */
export const strptimeOf = (pattern: string): string =>
  partsOf(pattern)
    .map((part) =>
      'text' in part
        ? part.text.replaceAll('%', '%%')
        : pieceOf(part.letters) === month
          ? '%b'
          : pieceOf(part.letters)!.strptime,
    )
    .join('')

/**
 * DuckDB's expression for the point in time that a text of one of the patterns is, null where it is none: of a pattern of
 * a time, that time on a day of no meaning. `text` is no more than a name.
 */
export function patternSql(text: string, patterns: readonly string[]): string {
  const letters = patterns.flatMap((pattern) =>
    partsOf(pattern).flatMap((part) => ('letters' in part ? [part.letters] : [])),
  )
  const formats = patterns.map((pattern) =>
    partsOf(pattern)
      .map((part) => ('text' in part ? part.text.replaceAll('%', '%%') : pieceOf(part.letters)!.strptime))
      .join(''),
  )
  let given = text
  // what stands in it as a word becomes what strptime knows
  if (letters.some((one) => one.startsWith('E')))
    given = `regexp_replace(${given}, '^\\p{L}{2,}\\.?|\\p{L}{2,}\\.?$', '')`
  if (letters.some((one) => pieceOf(one) === month)) {
    const word = `regexp_extract(lower(${given}), '\\p{L}{3,}\\.?')`
    const cases = [...monthNames]
      .map(([name, number]) => `when '${name.replaceAll("'", "''")}' then '${number}'`)
      .join(' ')
    given = `replace(lower(${given}), ${word}, case ${word} ${cases} end)`
  }
  if (letters.includes('a')) given = `replace(replace(lower(${given}), 'a.m.', 'am'), 'p.m.', 'pm')`
  const list = formats.map((format) => `'${format.replaceAll("'", "''")}'`).join(', ')
  return `try_strptime(${given}, [${list}])`
}

/** A text of a pattern as ISO 8601: a day, a time, or both with a blank between; undefined where it is none. */
export function readByPattern(text: string, pattern: string): string | undefined {
  const parts = partsOf(pattern)
  const letters = parts.flatMap((part) => ('letters' in part ? [part.letters] : []))
  const source = parts
    .map((part) =>
      'text' in part
        ? escapeRegExp(part.text)
        : `(?<g${letters.indexOf(part.letters)}>${ecmaOf(part.letters)})`,
    )
    .join('')
  const groups = new RegExp(`^${source}$`, 'u').exec(text)?.groups
  if (!groups) return undefined
  const of = (test: RegExp): string | undefined => {
    const place = letters.findIndex((one) => test.test(one))
    return place < 0 ? undefined : groups[`g${place}`]
  }
  const two = (value: string) => value.padStart(2, '0')
  const kind = patternKind(pattern)
  let day = ''
  if (kind !== 'time') {
    const given = of(/^y/)!
    const year = given.length === 2 ? `${Number(given) >= 69 ? '19' : '20'}${given}` : given
    const said = of(/^[ML]/)!
    const number = /^\d/.test(said) ? Number(said) : monthNames.get(said.toLowerCase())
    if (number === undefined) return undefined
    day = `${year}-${two(String(number))}-${two(of(/^d/)!)}`
    const read = new Date(`${day}T00:00:00Z`)
    if (Number.isNaN(read.getTime()) || !read.toISOString().startsWith(day)) return undefined
  }
  if (kind === 'date') return day
  let hours = Number(of(/^[Hh]/))
  const half = of(/^a$/)?.toLowerCase()
  if (half) hours = (hours % 12) + (half.startsWith('p') ? 12 : 0)
  const fraction = of(/^S/)
  const time = `${two(String(hours))}:${two(of(/^m/) ?? '0')}:${two(of(/^s/) ?? '0')}${fraction ? `.${fraction}` : ''}`
  return kind === 'time' ? time : `${day} ${time}`
}

/** The expression of a piece without groups of its own. */
const ecmaOf = (letters: string): string => pieceOf(letters)!.regex.replace(/\((?!\?)/g, '(?:')
