/**
 * What a text value looks like, from the narrowest kind to the widest. Each value has exactly one class; the type of a
 * column follows from the classes of its values (evidence.ts).
 */
export const valueClasses = [
  'blank', 'integer', 'decimal', 'decimal-comma', 'boolean', 'date', 'date-dots', 'timestamp', 'timestamp-zone',
  'time', 'text',
] as const // prettier-ignore
export type ValueClass = (typeof valueClasses)[number]

const whole = '(0|[1-9][0-9]*)'
const exponent = '([eE][+-]?[0-9]{1,3})?'
const clock = '([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.,][0-9]{1,9})?)?'
const isoDay = '[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])'

/**
 * Patterns that mean the same in ECMAScript and in RE2, so that one list serves the pages, the core and DuckDB.
 * A number with a leading zero, or a whole number of more than 18 digits, is a code and stays text: as a number it
 * would come out changed. Dates and times are those of ISO 8601 (extended format), and days written dd.MM.yyyy.
 */
const patterns: readonly (readonly [ValueClass, string])[] = [
  ['integer', `[+-]?(0|[1-9][0-9]{0,17})`],
  ['decimal', `[+-]?((${whole})?\\.[0-9]+|${whole}\\.)${exponent}|[+-]?${whole}[eE][+-]?[0-9]{1,3}`],
  ['decimal-comma', `[+-]?${whole},[0-9]+`],
  ['boolean', '[tT]rue|TRUE|[fF]alse|FALSE'],
  ['date', isoDay],
  ['date-dots', `(0?[1-9]|[12][0-9]|3[01])\\.(0?[1-9]|1[0-2])\\.[0-9]{4}`],
  ['timestamp', `${isoDay}[T ]${clock}`],
  ['timestamp-zone', `${isoDay}[T ]${clock} ?(Z|z|[+-][0-9]{2}(:?[0-9]{2})?)`],
  ['time', clock],
]
const tests = patterns.map(([name, pattern]) => [name, new RegExp(`^(?:${pattern})$`)] as const)

/** Is the day one of the calendar? Text that begins `yyyy-MM-dd`, already known to have that form. */
function dayExists(text: string): boolean {
  const day = text.slice(0, 10)
  const read = new Date(`${day}T00:00:00Z`)
  return !Number.isNaN(read.getTime()) && read.toISOString().startsWith(day)
}

/** The class of a value; blanks around it do not count, and nothing but blanks is `blank`. */
export function classOf(value: string | null): ValueClass {
  const text = value?.trim() ?? ''
  if (text === '') return 'blank'
  for (const [name, test] of tests) {
    if (!test.test(text)) continue
    if (name === 'date' || name === 'timestamp' || name === 'timestamp-zone')
      return dayExists(text) ? name : 'text'
    return name
  }
  return 'text'
}

/**
 * The same as a DuckDB expression over a text column: a number, the place in `valueClasses`. Values that begin like no
 * number are told apart without a pattern, which is most of the work for columns of text.
 */
export function classSql(column: string): string {
  const text = `trim(${column}, E' \\t\\r\\n')`
  const place = (name: ValueClass) => valueClasses.indexOf(name)
  const cases = patterns
    .filter(([name]) => name !== 'boolean')
    .map(([name, pattern]) => {
      const fits = `regexp_full_match(${text}, '${pattern}')`
      return name === 'date' || name === 'timestamp' || name === 'timestamp-zone'
        ? `when ${fits} and try_cast(left(${text}, 10) as date) is not null then ${place(name)}`
        : `when ${fits} then ${place(name)}`
    })
  const booleans = "('true', 'True', 'TRUE', 'false', 'False', 'FALSE')"
  return `case when ${column} is null or ${text} = '' then ${place('blank')}
    when ${text}[1] not between '0' and '9' and ${text}[1] not in ('+', '-', '.') then case when ${text} in ${booleans} then ${place('boolean')} else ${place('text')} end
    ${cases.join(' ')} else ${place('text')} end`
}
