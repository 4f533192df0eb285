import { quoteName } from '../text/slot'

/** How a column of a Postgres table becomes one of another type: an expression, and what would not come through whole. */
export interface TableCast {
  readonly sql: (column: string) => string
  /** Tells the values, which are not null, that the cast would change; undefined where it changes none. */
  readonly changes?: (column: string) => string
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
const offsetText = String.raw`:[0-9.]+ ?(Z|UTC|[+-][0-9]{2}(:?[0-9]{2})*)\s*$`

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
    if (isText(from)) {
      const pattern = whole.test(to) ? wholeText : numberText
      const exact = (x: string) => `(${x})::numeric`
      return {
        sql: (x) => (whole.test(to) ? `${exact(x)}::${to}` : plain(x)),
        changes: (x) =>
          `case when (${x}) !~ '${pattern}' then true else ${exact(x)} <> ${exact(x)}::${to}::text::numeric end`,
      }
    }
    if (isNumber(from)) {
      // by its text: from double precision to numeric Postgres keeps 15 digits only
      const exact = (x: string) => `(${x})::text::numeric`
      const cast = (x: string) => (binary.test(from) ? `${exact(x)}::${to}` : plain(x))
      return { sql: cast, changes: (x) => `${exact(x)} <> (${cast(x)})::text::numeric` }
    }
    return { sql: plain }
  }
  if (target === 'date') {
    if (isText(from))
      return {
        sql: plain,
        changes: (x) => `(${x}) ~ '${offsetText}' or (${x})::timestamp <> (${x})::date::timestamp`,
      }
    return { sql: plain, changes: (x) => `(${x})::date::timestamp <> (${x})::timestamp` }
  }
  if (target === 'time without time zone' && source === 'timestamp without time zone')
    return 'a day would be cut off; say so with a query: at::time'
  if (target === 'timestamp without time zone' && isText(from))
    return { sql: plain, changes: (x) => `(${x}) ~ '${offsetText}'` }
  return { sql: plain }
}
