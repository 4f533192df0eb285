import { escapeRegExp } from '../text/escapeRegExp'
import { isDay } from '../files/calendar'
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
/** A name of a month, which is looked up. */
const month = '\\p{L}{3,}\\.?'

const mark = `(${[...numberMarks]
  .sort((a, b) => b.length - a.length)
  .map(escapeRegExp)
  .join('|')})`
const bare = `[0-9]([0-9.,'’ \\x{00A0}\\x{202F}\\x{2009}]*[0-9])?`
/** A number with a mark before or behind it, in the brackets of bookkeeping, or with its minus behind. */
const marked = `[+-]?${mark}${blank}?[+-]?${bare}|[+-]?${bare}${blank}?${mark}|\\((${mark}${blank}?)?${bare}(${blank}?${mark})?\\)|${bare}-`
/** What of it is not the number. */
const around = `${mark}|[()+-]`

/**
 * What begins with no digit and may be a value all the same: a number with marks, a day with the name of its month, of
 * which any letters will do here: all the letters of Unicode cost RE2 some milliseconds a column to begin with.
 */
const rareBegin = `\\(?(${mark})${blank}?[+-]?[0-9].*|\\([0-9].*|[^0-9 ]{3,}[ -][0-9]{1,2},?[ -][0-9]{4}`

/** The class of a number with marks, by that of the number. */
const markedClasses: Partial<Record<ValueClass, ValueClass>> = {
  integer: 'marked',
  decimal: 'marked',
  'point-three': 'marked',
  'decimal-comma': 'marked-comma',
  'comma-three': 'marked-comma-three',
  'grouped-comma': 'marked-grouped-comma',
  'grouped-comma-decimal': 'marked-grouped-comma',
  'grouped-point': 'marked-grouped-point',
  'grouped-point-decimal': 'marked-grouped-point',
  'grouped-blank': 'marked-grouped-blank-point',
  'grouped-blank-sure': 'marked-grouped-blank-point',
  'grouped-blank-point': 'marked-grouped-blank-point',
  'grouped-blank-comma': 'marked-grouped-blank-comma',
}

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
  ['date-named-dm', `${day}\\.?[ -]${month}[ -][0-9]{4}`],
  ['grouped-comma-decimal', `[+-]?${group(',', 1)}\\.[0-9]+`],
  ['grouped-comma', `[+-]?${group(',', 2)}`],
  ['grouped-point-decimal', `[+-]?${group('\\.', 1)},[0-9]+`],
  ['grouped-point', `[+-]?${group('\\.', 2)}`],
  ['grouped-apostrophe', `[+-]?${group("['’]", 1)}(\\.[0-9]+)?`],
  ['grouped-blank-sure', `[+-]?${group('[\\x{00A0}\\x{202F}\\x{2009}]', 1)}`],
  ['grouped-blank', `[+-]?${group(blank, 1)}`],
  ['grouped-blank-point', `[+-]?${group(blank, 1)}\\.[0-9]+`],
  ['grouped-blank-comma', `[+-]?${group(blank, 1)},[0-9]+`],
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
  ['date-named-md', `${month}[ -]${day},?[ -][0-9]{4}`],
]

/** RE2's way of a letter by its number in that of ECMAScript. */
const ecma = (pattern: string): RegExp =>
  new RegExp(`^(?:${pattern.replace(/\\x\{([0-9A-F]{4})\}/g, '\\u$1')})$`, 'u')
const tests = new Map(patterns.map(([name, pattern]) => [name, ecma(pattern)] as const))

/** Classes of what most values are: they are told at once. The others are looked for where values are none of them. */
const commonNames = [
  'integer',
  'date',
  'point-three',
  'decimal',
  'comma-three',
  'decimal-comma',
  'date-dots',
] as const
const commonClocks = ['timestamp', 'timestamp-zone', 'time'] as const
/** Classes that `classSql` tells itself; text with digits is not among them. */
export const commonClasses: readonly ValueClass[] = [
  'blank',
  'null-word',
  'boolean',
  'yes-word',
  'no-word',
  ...commonNames,
  ...commonClocks,
]
const odd = patterns
  .map(([name]) => name)
  .filter((name) => !([...commonNames, ...commonClocks] as string[]).includes(name))
const withDay: readonly ValueClass[] = ['date', 'timestamp', 'timestamp-zone', 'date-time12']
const withMonth: readonly ValueClass[] = ['date-named-dm', 'date-named-md']
const markedTest = ecma(marked)
const aroundTest = new RegExp(around, 'gu')

/** Is the day one of the calendar? Text that begins `yyyy-MM-dd`, already known to have that form. */
const dayExists = (text: string): boolean =>
  isDay(Number(text.slice(0, 4)), Number(text.slice(5, 7)), Number(text.slice(8, 10)))

const booleans = ['true', 'True', 'TRUE', 'false', 'False', 'FALSE']
const nulls: ReadonlySet<string> = new Set(nullWords)
const yeses: ReadonlySet<string> = new Set(yesWords)
const noes: ReadonlySet<string> = new Set(noWords)
/** Letters of the longest of these words. */
const wordLength = Math.max(...[...nullWords, ...yesWords, ...noWords].map((word) => word.length))
/** And bytes, in UTF-8. */
const wordBytes = Math.max(
  ...[...nullWords, ...yesWords, ...noWords].map((word) => new TextEncoder().encode(word).length),
)

/** Fits all of these words, and a few more. */
const special = `(?i:${[...nullWords, ...booleans, ...yesWords, ...noWords].map(escapeRegExp).join('|')})`

/** The sign of money or of shares at a number, where there is one. */
export const markIn = (value: string): string | undefined =>
  markedTest.test(value) ? new RegExp(mark, 'u').exec(value)?.[0] : undefined

/** The class of a value; blanks around it do not count, and nothing but blanks is `blank`. */
export function classOf(value: string | null): ValueClass {
  const text = value?.trim() ?? ''
  if (text === '') return 'blank'
  if (text.length <= wordLength) {
    if (nulls.has(text)) return 'null-word'
    if (booleans.includes(text)) return 'boolean'
    const lower = text.toLowerCase()
    if (yeses.has(lower)) return 'yes-word'
    if (noes.has(lower)) return 'no-word'
  }
  // what holds no digit needs no pattern, which is most of the work for columns of text
  if (!/[0-9]/.test(text)) return 'text'
  const fitting = (names: readonly ValueClass[]) => names.find((name) => fits(text, name))
  const plain = isNumeric(text.charCodeAt(0))
    ? fitting(text.includes(':') ? commonClocks : commonNames)
    : undefined
  if (plain) return plain
  const other = fitting(odd)
  if (other) return other
  if (!markedTest.test(text)) return 'text'
  const number = text.replace(aroundTest, '').trim()
  const of = [...commonNames, ...odd].find((name) => markedClasses[name] && fits(number, name))
  return (of && markedClasses[of]) ?? 'text'
}

function fits(text: string, name: ValueClass): boolean {
  if (!tests.get(name)!.test(text)) return false
  if (withDay.includes(name)) return dayExists(text)
  if (withMonth.includes(name)) return monthNames.has(/\p{L}{3,}\.?/u.exec(text)![0].toLowerCase())
  return true
}

const isNumeric = (first: number): boolean => (first >= 48 && first <= 57) || (first >= 43 && first <= 46)

const place = (name: ValueClass) => valueClasses.indexOf(name)
const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`
const list = (words: readonly string[]) => words.map(quoted).join(', ')

const cases = (value: string, names: readonly ValueClass[]): string =>
  names
    .map((name) => {
      const fits = `regexp_full_match(${value}, ${quoted(patterns.find(([other]) => other === name)![1])})`
      const day = withDay.includes(name) ? ` and try_cast(left(${value}, 10) as date) is not null` : ''
      return `when ${fits}${day} then ${place(name)}`
    })
    .join(' ')

/** What `classSql` says of a text with digits that is none of the common classes: `classOf` tells which it is. */
export const otherClass = valueClasses.length

/**
 * The class of common values as a DuckDB expression: a number, the place in `valueClasses`, or `otherClass` for what only
 * `classOf` tells; it is text where others of its column are. Fifty patterns more would cost DuckDB half a second a
 * column to begin with, whatever the rows. `value` is the name of a column of text without blanks
 * around (`trimSql`); DuckDB works out again what stands more than once in a CASE, so it must be no more than a name.
 */
export function classSql(value: string): string {
  const numeric = `(ascii(${value}) between 48 and 57 or ascii(${value}) between 43 and 46)`
  // one look tells most texts; only what is such a word is looked up
  return `case when ${value} is null or ${value} = '' then ${place('blank')}
    when ${numeric} then case when contains(${value}, ':') then case ${cases(value, commonClocks)} else ${otherClass} end
      else case ${cases(value, commonNames)} when ${value} in (${list(nullWords)}) then ${place('null-word')} else ${otherClass} end end
    when strlen(${value}) <= ${wordBytes} and regexp_full_match(${value}, ${quoted(special)}) then case
      when ${value} in (${list(nullWords)}) then ${place('null-word')}
      when ${value} in (${list(booleans)}) then ${place('boolean')}
      when lower(${value}) in (${list(yesWords)}) then ${place('yes-word')}
      when lower(${value}) in (${list(noWords)}) then ${place('no-word')}
      else ${place('text')} end
    when regexp_full_match(${value}, ${quoted(rareBegin)}) then ${otherClass} else ${place('text')} end`
}

/** A column as text without blanks around, for `classSql`. */
export const trimSql = (column: string): string => `trim(cast(${column} as varchar), E' \\t\\r\\n')`
