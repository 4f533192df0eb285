import { isDay } from '../files/calendar'
import { booleanWords, clock, day, era, midnight, never, number, offset, secondDigits } from './forms'

/**
 * Is a text, written plainly (core/files/readValue.ts) and without blanks around, such a value of a Postgres type? The
 * same as `castTo` says in a load, for the few values that are looked at beforehand; where only DuckDB or Postgres can
 * tell (digits of a binary number, an exponent's digits, times that a clock never shows, types of their own) it says yes.
 */
export function fitsText(text: string, type: string): boolean {
  const name = type.replace(/\(.*\)/, '').trim()
  return tests[name]?.(text, type) ?? true
}

const full = (pattern: string): RegExp => new RegExp(`^(?:${pattern})$`, 'u')
const whole = full('[+-]?[0-9]+(\\.0*)?')
const numeral = full(number)
const special = full(`nan|${never}`)
const isNever = full(never)
const boolean = full(booleanWords)
const dayOnly = full(`${day}${midnight}${era}`)
/** Patterns of times by the digits of a second that their type keeps. */
const byDigits = (pattern: (clock: string) => string): readonly RegExp[] =>
  [0, 1, 2, 3, 4, 5, 6].map((digits) => full(pattern(clock(digits))))
const times = byDigits((time) => time)
const locals = byDigits((time) => `${day}([T ]${time})?${era}`)
const instants = byDigits((time) => `${day}([T ]${time}(${offset})?)?${era}`)
const uuid = full('\\{?[0-9a-f]{4}(-?[0-9a-f]{4}){7}\\}?')

type Test = (text: string, type: string) => boolean

const integer =
  (bits: bigint): Test =>
  (text) => {
    if (!whole.test(text)) return false
    if (text.length < 5) return true
    const value = BigInt(text.replace(/^\+/, '').replace(/\..*$/, ''))
    return value >= -(2n ** (bits - 1n)) && value < 2n ** (bits - 1n)
  }

const floating: Test = (text) => numeral.test(text) || special.test(text.toLowerCase())

/** numeric(p,s) holds p digits, s of them behind the point (Postgres, 8.1.2). */
const exact: Test = (text, type) => {
  const of = /\((\d+)(?:,\s*(-?\d+))?\)$/.exec(type)
  if (!of) return floating(text, type)
  if (/^nan$/i.test(text)) return true
  if (!numeral.test(text)) return false
  if (/e/i.test(text)) return true
  const scale = Number(of[2] ?? 0)
  const [ahead = '', behind = ''] = text.replace(/^[+-]/, '').split('.')
  return (
    ahead.replace(/^0+/, '').length <= Math.max(0, Number(of[1]) - scale) &&
    behind.replace(/0+$/, '').length <= Math.max(0, scale)
  )
}

/** Is the day at the beginning of a text, known to be written as one, of the calendar? */
function dayExists(text: string): boolean {
  const [year, month, day] = text
    .match(/[0-9]+/g)!
    .slice(0, 3)
    .map(Number) as [number, number, number]
  return isDay(text.includes('BC') ? 1 - year : year, month, day)
}

const dated =
  (forms: readonly RegExp[]): Test =>
  (text, type) =>
    (forms[Math.min(secondDigits(type), forms.length - 1)]!.test(text) && dayExists(text)) ||
    isNever.test(text.toLowerCase())

const text: Test = (value, type) => {
  const length = /\((\d+)\)$/.exec(type)?.[1]
  return length === undefined || value.length <= Number(length) || [...value].length <= Number(length)
}

const json: Test = (value) => {
  try {
    JSON.parse(value)
    return true
  } catch {
    return false
  }
}

/** By the name of the type, without what stands in brackets behind it. */
const tests: Readonly<Record<string, Test>> = {
  smallint: integer(16n),
  integer: integer(32n),
  bigint: integer(64n),
  numeric: exact,
  'double precision': floating,
  real: floating,
  boolean: (value) => boolean.test(value.toLowerCase()),
  date: dated([dayOnly]),
  'timestamp without time zone': dated(locals),
  'timestamp with time zone': dated(instants),
  'time without time zone': (value, type) => times[Math.min(secondDigits(type), 6)]!.test(value),
  uuid: (value) => uuid.test(value.toLowerCase()),
  json,
  jsonb: json,
  'character varying': text,
  character: text,
  bpchar: text,
}
