import { quoteName } from '../text/slot'
import { clock, day, era, midnight, never, offset, plainClock, plainDay, secondDigits } from './forms'

/** How a column of a Postgres table becomes one of another type: an expression, and what would not come through whole. */
export interface TableCast {
  readonly sql: (column: string) => string
  /** Tells the values, which are not null, that the cast would change; undefined where it changes none. */
  readonly changes?: (column: string) => string
  /** Values that are none of the type are refused by Postgres with an error: one by one they go as text, to be told apart. */
  readonly refuses?: true
}

const bare = (type: string): string => type.replace(/\(.*\)/, '').trim()
const isText = (type: string): boolean =>
  /^(text|character varying|character|bpchar|citext|name)$/.test(bare(type))
const whole = /^(smallint|integer|bigint)$/
const binary = /^(real|double precision)$/
const isNumber = (type: string): boolean => whole.test(type) || binary.test(type) || bare(type) === 'numeric'

/** What a number may be written as: of those that become whole numbers only zeros may stand behind the point. */
const wholeText = String.raw`^\s*[+-]?[0-9]+(\.0*)?\s*$`
const numberText = String.raw`^\s*([+-]?([0-9]+\.?[0-9]*|\.[0-9]+)([eE][+-]?[0-9]{1,4})?|NaN|[+-]?Infinity)\s*$`
/** Days and times of texts as files may have them (core/cast/forms.ts): what an offset or a time would be cut off is none. */
const dayForms: Readonly<Record<string, (time: string) => string>> = {
  date: () => `${day}${midnight}${era}`,
  'timestamp without time zone': (time) => `${day}([T ]${time})?${era}`,
  'timestamp with time zone': (time) => `${day}([T ]${time}(${offset})?)?${era}`,
  'time without time zone': (time) => time,
}
/** Types of time that keep fewer digits of a second where they say so. */
const isFine = (type: string): boolean => /^(time|timestamp|interval)\b/.test(type)
/** Local times that the clock of the session's zone never shows, in the gap of spring. */
const inGap = (local: string): string => `((${local})::timestamptz)::timestamp <> ${local}`
/** Days that a timestamp has no room for. */
const beyond = (x: string): string => `(isfinite(${x}) and (${x}) > '294276-12-31')`

/** The least and the greatest of each type; of binary ones the least is that next to 0, the greatest what is rounded to theirs (IEEE 754). */
const ranges: Readonly<Record<string, readonly [string, string]>> = {
  smallint: ['-32768', '32767'],
  integer: ['-2147483648', '2147483647'],
  bigint: ['-9223372036854775808', '9223372036854775807'],
  real: ['1.4e-45', '3.40282356e38'],
  'double precision': ['4.94e-324', '1.7976931348623158e308'],
}

/** Whole numbers fit into what stands behind their type. */
const widening = ['smallint', 'integer', 'bigint', 'numeric']

/** Is a numeric one that the type has room for? Postgres fails the whole statement for one that is not. */
function inRange(exact: string, to: string): string | undefined {
  const type = bare(to)
  const [least, most] = ranges[type] ?? []
  if (whole.test(type)) return `${exact} between ${least} and ${most}`
  if (binary.test(type))
    return `((${exact})::text ~ '^(0|NaN|-?Infinity)$' or ${exact} = 0 or abs(${exact}) between ${least} and ${most})`
  const of = /\((\d+)(?:,\s*(-?\d+))?\)$/.exec(to)
  if (!of) return undefined
  const scale = Number(of[2] ?? 0)
  return `((${exact})::text = 'NaN' or ((${exact})::text !~ 'Inf' and abs(round(${exact}, ${scale})) < 1e${Number(of[1]) - scale}))`
}

/**
 * The cast from one type of Postgres's to another. Postgres rounds, cuts and moves on such casts without a word (its
 * 8.1 and 8.5); what would be changed is found by casting it back. A point in time has no clock of its own, so into a
 * type without a zone it is not cast at all: the text says why.
 */
export function tableCast(from: string, to: string): TableCast | string {
  if (from === to) return { sql: (x) => x }
  const plain = (x: string) => `(${x})::${to}`
  const [source, target] = [bare(from), bare(to)]
  const length = /^(?:character varying|character)\((\d+)\)$/.exec(to)?.[1]
  if (length !== undefined) return { sql: plain, changes: (x) => `length((${x})::text) > ${length}` }
  if (isText(to)) return { sql: plain }
  if (source === 'timestamp with time zone' && target !== source)
    return `a point in time has no clock of its own; say whose with a query: ${quoteName('at')} at time zone 'Europe/…'`
  if (isNumber(to)) {
    if (!isText(from) && !isNumber(from)) return { sql: plain }
    const [of, into] = [widening.indexOf(source), widening.indexOf(to)]
    if (of >= 0 && into >= of) return { sql: plain }
    // by its text: from double precision to numeric Postgres keeps 15 digits only
    const exact = (x: string) => (isText(from) ? `(${x})::numeric` : `(${x})::text::numeric`)
    const cast = (x: string) =>
      isText(from) ? (whole.test(to) ? `${exact(x)}::${to}` : plain(x)) : binary.test(from) ? `${exact(x)}::${to}` : plain(x) // prettier-ignore
    const pattern = whole.test(to) ? wholeText : numberText
    return {
      sql: cast,
      changes: (x) => {
        const room = inRange(exact(x), to)
        const cases = [
          ...(isText(from) ? [`when (${x}) !~ '${pattern}' then true`] : []),
          ...(room ? [`when not (${room}) then true`] : []),
        ]
        const changed = `${exact(x)} <> (${cast(x)})::text::numeric`
        return cases.length > 0 ? `case ${cases.join(' ')} else ${changed} end` : changed
      },
    }
  }
  if (isText(from)) {
    const form = dayForms[target]
    if (form === undefined) return { sql: plain, refuses: true }
    const digits = secondDigits(to)
    const odd = (x: string) =>
      `trim(${x}) !~ '^(${form(clock(digits))})$' and lower(trim(${x})) !~ '^(${never})$'`
    // of those that are days for certain: others would fail the statement
    const sure = `^${plainDay}[T ]${plainClock(digits)}$`
    const gap = (x: string) =>
      `case when trim(${x}) ~ '${sure}' then ${inGap(`(${x})::timestamp`)} else false end`
    return {
      sql: plain,
      changes: target === 'timestamp with time zone' ? (x) => `(${odd(x)}) or ${gap(x)}` : odd,
      refuses: true,
    }
  }
  if (source === target && isFine(to)) return { sql: plain, changes: (x) => `(${x})::${to} <> (${x})` }
  if (source === 'date' && isFine(to)) return { sql: (x) => `case when ${beyond(x)} then null else ${plain(x)} end`, changes: beyond } // prettier-ignore
  if (source === 'timestamp without time zone' && target === 'timestamp with time zone')
    return { sql: plain, changes: (x) => `(isfinite(${x}) and (${inGap(x)} or (${x})::${to}::timestamp <> (${x})))` } // prettier-ignore
  if (whole.test(from) && target === 'boolean') return { sql: plain, changes: (x) => `(${x}) not in (0, 1)` }
  if (target === 'date') return { sql: plain, changes: (x) => `(${x})::date::timestamp <> (${x})::timestamp` }
  if (target === 'time without time zone' && source === 'timestamp without time zone')
    return 'a day would be cut off; say so with a query: at::time'
  return { sql: plain }
}
