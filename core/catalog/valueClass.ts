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
const withDay: readonly ValueClass[] = ['date', 'timestamp', 'timestamp-zone']
const withClock: readonly ValueClass[] = ['timestamp', 'timestamp-zone', 'time']
const clocks = tests.filter(([name]) => withClock.includes(name))
const plains = tests.filter(([name]) => !withClock.includes(name) && name !== 'boolean')

/** Is the day one of the calendar? Text that begins `yyyy-MM-dd`, already known to have that form. */
function dayExists(text: string): boolean {
  const day = text.slice(0, 10)
  const read = new Date(`${day}T00:00:00Z`)
  return !Number.isNaN(read.getTime()) && read.toISOString().startsWith(day)
}

const booleans = ['true', 'True', 'TRUE', 'false', 'False', 'FALSE']

/** The class of a value; blanks around it do not count, and nothing but blanks is `blank`. */
export function classOf(value: string | null): ValueClass {
  const text = value?.trim() ?? ''
  if (text === '') return 'blank'
  const first = text.charCodeAt(0)
  // what begins like no number needs no pattern, which is most of the work for columns of text
  if (!((first >= 48 && first <= 57) || first === 43 || first === 45 || first === 46))
    return booleans.includes(text) ? 'boolean' : 'text'
  const [name] = (text.includes(':') ? clocks : plains).find(([, test]) => test.test(text)) ?? ['text']
  return withDay.includes(name) && !dayExists(text) ? 'text' : name
}

/**
 * The same as a DuckDB expression: a number, the place in `valueClasses`. `value` is the name of a column of text
 * without blanks around (`trimSql`); DuckDB works out again what stands more than once in a CASE, so it must be no more
 * than a name.
 */
export function classSql(value: string): string {
  const place = (name: ValueClass) => valueClasses.indexOf(name)
  const cases = (of: readonly (readonly [ValueClass, RegExp])[]) =>
    of
      .map(([name]) => {
        const fits = `regexp_full_match(${value}, '${patterns.find(([other]) => other === name)![1]}')`
        const day = withDay.includes(name) ? ` and try_cast(left(${value}, 10) as date) is not null` : ''
        return `when ${fits}${day} then ${place(name)}`
      })
      .join(' ')
  const list = booleans.map((word) => `'${word}'`).join(', ')
  return `case when ${value} is null or ${value} = '' then ${place('blank')}
    when not (ascii(${value}) between 48 and 57 or ascii(${value}) in (43, 45, 46)) then case when ${value} in (${list}) then ${place('boolean')} else ${place('text')} end
    when contains(${value}, ':') then case ${cases(clocks)} else ${place('text')} end
    else case ${cases(plains)} else ${place('text')} end end`
}

/** A column as text without blanks around, for `classSql`. */
export const trimSql = (column: string): string => `trim(cast(${column} as varchar), E' \\t\\r\\n')`
