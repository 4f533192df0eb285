import { monthNames } from '../files/monthNames'

/**
 * What a text value looks like. Each value has exactly one class; the type of a column follows from the classes of its
 * values (evidence.ts). Of forms that can be read in two ways (`1,234`, `03/04/2026`) the class says so.
 */
export const valueClasses = [
  'blank', 'integer', 'decimal', 'decimal-comma', 'boolean', 'date', 'date-dots', 'timestamp', 'timestamp-zone',
  'time', 'text',
  'null-word', 'yes-word', 'no-word', 'point-three', 'comma-three',
  'grouped-comma', 'grouped-point', 'grouped-blank', 'grouped-blank-sure', 'grouped-apostrophe',
  'grouped-comma-decimal', 'grouped-point-decimal', 'grouped-blank-point', 'grouped-blank-comma',
  'marked', 'marked-comma', 'marked-comma-three', 'marked-grouped-comma', 'marked-grouped-point',
  'marked-grouped-blank-point', 'marked-grouped-blank-comma',
  'date-dots-short', 'date-slash-dm', 'date-slash-md', 'date-slash-either', 'date-dash-dm', 'date-dash-md', 'date-dash-either',
  'date-named-dm', 'date-named-md',
  'dots-time', 'slash-dm-time', 'slash-md-time', 'slash-either-time', 'slash-dm-time12', 'slash-md-time12', 'slash-either-time12',
  'date-time12', 'time12',
] as const // prettier-ignore
export type ValueClass = (typeof valueClasses)[number]

/** Words that stand for nothing where the other values are of a type; common practice, no source, but for the errors of sheets (ECMA-376, 18.18.11). */
export const nullWords = [
  'NA', 'N/A', 'n/a', 'na', 'N.A.', 'n.a.', '#N/A', 'NULL', 'null', 'Null', 'None', 'none', 'NaN', 'nan', 'NAN', '-', '--', '---', '–', '—', '?', '.',
  '\\N', 'nil', 'NIL', '(null)', '<NA>', 'k.A.', 'k. A.', 'missing', '#DIV/0!', '#NAME?', '#NULL!', '#NUM!', '#REF!', '#VALUE!',
] as const // prettier-ignore

/** Yes and no in languages of Europe. Single letters but y, n and j would be codes as often. */
export const yesWords = ['yes', 'y', 'ja', 'j', 'oui', 'sí', 'sì', 'si', 'sim', 'tak', 'ano', 'kyllä', 'igen'] as const // prettier-ignore
export const noWords = ['no', 'n', 'nein', 'nei', 'nej', 'nee', 'non', 'não', 'nie', 'ne', 'ei', 'nem'] as const // prettier-ignore

/** Signs of money and shares that stand at a number. */
export const numberMarks = [
  '%', '‰', '€', '$', '£', '¥', '₹', '₽', '₩', '¢', 'EUR', 'USD', 'GBP', 'CHF', 'NOK', 'SEK', 'DKK', 'PLN', 'CZK', 'HUF', 'JPY', 'CAD', 'AUD', 'kr', 'zł', 'Kč', 'Fr.', 'R$', 'US$',
] as const // prettier-ignore

const whole = '(0|[1-9][0-9]*)'
const exponent = '([eE][+-]?[0-9]{1,3})?'
const clock = '([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.,][0-9]{1,9})?)?'
const looseClock = '([01]?[0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]([.,][0-9]{1,6})?)?'
const clock12 = '(0?[1-9]|1[0-2]):[0-5][0-9](:[0-5][0-9])? ?([aApP][mM]|[aApP]\\.[mM]\\.)'
const isoDay = '[0-9]{4}-(0[1-9]|1[0-2])-(0[1-9]|[12][0-9]|3[01])'
const slashedDay = '[0-9]{4}/(0[1-9]|1[0-2])/(0[1-9]|[12][0-9]|3[01])'
const low = '(0?[1-9]|1[0-2])'
const high = '(1[3-9]|2[0-9]|3[01])'
const day = '(0?[1-9]|[12][0-9]|3[01])'
const blank = '[ \\x{00A0}\\x{202F}\\x{2009}]'
const group = (sign: string, least: number) => `[1-9][0-9]{0,2}(${sign}[0-9]{3}){${least},}`
const months = `(${[...monthNames.keys()].map((name) => name.replace('.', '\\.')).join('|')})`

/** An escape of RE2's as ECMAScript has it, and a letter in any case. */
const escapeMark = (mark: string) => mark.replace(/[$.]/g, '\\$&')
const marks = `(${[...numberMarks]
  .sort((a, b) => b.length - a.length)
  .map(escapeMark)
  .join('|')})`
/** A number with a mark before or behind it, in the brackets of bookkeeping, or with its minus behind. */
const marked = (number: string): string =>
  `[+-]?${marks}${blank}?[+-]?${number}|[+-]?${number}${blank}?${marks}|\\((${marks}${blank}?)?${number}(${blank}?${marks})?\\)|${number}-`

const groupedComma = `(${group(',', 2)}|${group(',', 1)}\\.[0-9]+)`
const groupedPoint = `(${group('\\.', 2)}|${group('\\.', 1)},[0-9]+)`

/**
 * Patterns that mean the same in ECMAScript and in RE2, so that one list serves the pages, the core and DuckDB.
 * A number with a leading zero, or a whole number of more than 18 digits, is a code and stays text: as a number it
 * would come out changed. Dates and times are those of ISO 8601 (extended format), and those of everyday.
 */
const patterns: readonly (readonly [ValueClass, string])[] = [
  ['integer', `[+-]?(0|[1-9][0-9]{0,17})`],
  ['point-three', `[+-]?[1-9][0-9]{0,2}\\.[0-9]{3}`],
  ['decimal', `[+-]?((${whole})?\\.[0-9]+|${whole}\\.)${exponent}|[+-]?${whole}[eE][+-]?[0-9]{1,3}`],
  ['comma-three', `[+-]?[1-9][0-9]{0,2},[0-9]{3}`],
  ['decimal-comma', `[+-]?${whole}?,[0-9]+`],
  ['date', `${isoDay}|${slashedDay}`],
  ['date-dots', `${day}\\.(0?[1-9]|1[0-2])\\.[0-9]{4}`],
  ['date-dots-short', `${day}\\.(0?[1-9]|1[0-2])\\.[0-9]{2}`],
  ['date-slash-dm', `${high}/${low}/[0-9]{4}`],
  ['date-slash-md', `${low}/${high}/[0-9]{4}`],
  ['date-slash-either', `${low}/${low}/[0-9]{4}`],
  ['date-dash-dm', `${high}-${low}-[0-9]{4}`],
  ['date-dash-md', `${low}-${high}-[0-9]{4}`],
  ['date-dash-either', `${low}-${low}-[0-9]{4}`],
  ['date-named-dm', `${day}\\.?[ -](?i:${months})[ -][0-9]{4}`],
  ['grouped-comma-decimal', `[+-]?${group(',', 1)}\\.[0-9]+`],
  ['grouped-comma', `[+-]?${group(',', 2)}`],
  ['grouped-point-decimal', `[+-]?${group('\\.', 1)},[0-9]+`],
  ['grouped-point', `[+-]?${group('\\.', 2)}`],
  ['grouped-apostrophe', `[+-]?${group("['’]", 1)}(\\.[0-9]+)?`],
  ['grouped-blank-sure', `[+-]?${group('[\\x{00A0}\\x{202F}\\x{2009}]', 1)}`],
  ['grouped-blank', `[+-]?${group(blank, 1)}`],
  ['grouped-blank-point', `[+-]?${group(blank, 1)}\\.[0-9]+`],
  ['grouped-blank-comma', `[+-]?${group(blank, 1)},[0-9]+`],
  ['marked', marked(`${whole}(\\.[0-9]+)?`)],
  ['marked-comma-three', marked('[1-9][0-9]{0,2},[0-9]{3}')],
  ['marked-comma', marked(`${whole},[0-9]+`)],
  ['marked-grouped-comma', marked(groupedComma)],
  ['marked-grouped-point', marked(groupedPoint)],
  ['marked-grouped-blank-comma', marked(`${group(blank, 1)},[0-9]+`)],
  ['marked-grouped-blank-point', marked(`${group(blank, 1)}(\\.[0-9]+)?`)],
  ['timestamp', `(${isoDay}|${slashedDay})[T ]${clock}`],
  ['timestamp-zone', `${isoDay}[T ]${clock} ?(Z|z|[+-][0-9]{2}(:?[0-9]{2})?)`],
  ['time', clock],
  ['time12', clock12],
  ['date-time12', `${isoDay}[T ]${clock12}`],
  ['dots-time', `${day}\\.(0?[1-9]|1[0-2])\\.[0-9]{4},? ${looseClock}`],
  ['slash-dm-time', `${high}/${low}/[0-9]{4},? ${looseClock}`],
  ['slash-md-time', `${low}/${high}/[0-9]{4},? ${looseClock}`],
  ['slash-either-time', `${low}/${low}/[0-9]{4},? ${looseClock}`],
  ['slash-dm-time12', `${high}/${low}/[0-9]{4},? ${clock12}`],
  ['slash-md-time12', `${low}/${high}/[0-9]{4},? ${clock12}`],
  ['slash-either-time12', `${low}/${low}/[0-9]{4},? ${clock12}`],
  // below those that begin with a digit
  ['date-named-md', `(?i:${months})[ -]${day},?[ -][0-9]{4}`],
]

/** RE2's way of a letter by its number, and of a part in any case, in that of ECMAScript. */
const ecma = (pattern: string): RegExp => {
  const loose = pattern.includes('(?i:')
  return new RegExp(
    `^(?:${pattern.replaceAll('(?i:', '(?:').replace(/\\x\{([0-9A-F]{4})\}/g, '\\u$1')})$`,
    loose ? 'iu' : 'u',
  )
}
const tests = patterns.map(([name, pattern]) => [name, ecma(pattern)] as const)
const withDay: readonly ValueClass[] = ['date', 'timestamp', 'timestamp-zone', 'date-time12']
const has = (part: RegExp) => (name: ValueClass) => part.test(name)
const withClock = has(/^time|time/)
const clocks = tests.filter(([name]) => withClock(name))
const plains = tests.filter(([name]) => !withClock(name) && name !== 'date-named-md')
/** What may begin with a sign of money, a bracket or a letter. */
const others = tests.filter(([name]) => name.startsWith('marked') || name === 'date-named-md')

/** Is the day one of the calendar? Text that begins `yyyy-MM-dd`, already known to have that form. */
function dayExists(text: string): boolean {
  const iso = text.slice(0, 10).replaceAll('/', '-')
  const read = new Date(`${iso}T00:00:00Z`)
  return !Number.isNaN(read.getTime()) && read.toISOString().startsWith(iso)
}

const booleans = ['true', 'True', 'TRUE', 'false', 'False', 'FALSE']
const nulls: ReadonlySet<string> = new Set(nullWords)
const yeses: ReadonlySet<string> = new Set(yesWords)
const noes: ReadonlySet<string> = new Set(noWords)
/** Letters of the longest of these words. */
const wordLength = Math.max(...[...nullWords, ...yesWords, ...noWords].map((word) => word.length))

/** The class of a value; blanks around it do not count, and nothing but blanks is `blank`. */
export function classOf(value: string | null): ValueClass {
  const text = value?.trim() ?? ''
  if (text === '') return 'blank'
  const first = text.charCodeAt(0)
  if (text.length <= wordLength) {
    if (nulls.has(text)) return 'null-word'
    if (first > 57 && yeses.has(text.toLowerCase())) return 'yes-word'
    if (first > 57 && noes.has(text.toLowerCase())) return 'no-word'
    if (booleans.includes(text)) return 'boolean'
  }
  // what holds no digit needs no pattern, which is most of the work for columns of text
  if (!/[0-9]/.test(text)) return 'text'
  const list = !isNumeric(first) ? others : text.includes(':') ? clocks : plains
  const [name] = list.find(([, test]) => test.test(text)) ?? ['text']
  return withDay.includes(name) && !dayExists(text) ? 'text' : name
}

const isNumeric = (first: number): boolean =>
  (first >= 48 && first <= 57) || first === 43 || first === 45 || first === 46 || first === 44

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
        const pattern = patterns.find(([other]) => other === name)![1]
        const fits = `regexp_full_match(${value}, ${quoted(pattern)})`
        const day = withDay.includes(name) ? ` and try_cast(left(${value}, 10) as date) is not null` : ''
        return `when ${fits}${day} then ${place(name)}`
      })
      .join(' ')
  const list = (words: readonly string[]) => words.map(quoted).join(', ')
  const numeric = `(ascii(${value}) between 48 and 57 or ascii(${value}) between 43 and 46)`
  return `case when ${value} is null or ${value} = '' then ${place('blank')}
    when strlen(${value}) <= ${2 * wordLength} and ${value} in (${list(nullWords)}) then ${place('null-word')}
    when ascii(${value}) > 57 and strlen(${value}) <= ${2 * wordLength} and lower(${value}) in (${list([...yesWords, ...noWords])}) then case when lower(${value}) in (${list(yesWords)}) then ${place('yes-word')} else ${place('no-word')} end
    when not ${numeric} then case when ${value} in (${list(booleans)}) then ${place('boolean')} when not regexp_matches(${value}, '[0-9]') then ${place('text')} ${cases(others)} else ${place('text')} end
    when contains(${value}, ':') then case ${cases(clocks)} else ${place('text')} end
    else case ${cases(plains)} else ${place('text')} end end`
}

const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`

/** A column as text without blanks around, for `classSql`. */
export const trimSql = (column: string): string => `trim(cast(${column} as varchar), E' \\t\\r\\n')`
