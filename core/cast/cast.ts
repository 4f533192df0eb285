import { escapeRegExp } from '../text/escapeRegExp'
import { patternKind, patternRegex, patternSql } from '../files/datePattern'
import type { ValueReading } from '../files/valueReading'
import { booleanWords, clock, day, era, midnight, never, number, offset, plainClock, plainDay, secondDigits } from './forms' // prettier-ignore

/**
 * How a text becomes a value of a Postgres type: what of it fits, losing nothing, and what is sent. A value that does
 * not fit as it is written is a reject, never rounded, cut or moved (docs/types.md has the whole table).
 *
 * The expressions are DuckDB's, over the name of a column of text. DuckDB's own casts cannot tell: they round 1.5 to 2,
 * cut a time off a date and drop an offset; so the letters are judged first.
 */
export interface Cast {
  /** The type that the values get: Postgres's name of it. */
  readonly type: string
  /**
   * The text, which is not null, as it is written plainly, by the reading of its column: days as ISO 8601, numbers
   * without signs. The others are asked of what comes out of it. It is worked out once: `text` is no more than a name.
   */
  readonly rewrite?: (text: string) => string
  /** Is the text, which is not null, such a value, and kept whole? undefined: every text is. */
  readonly fits?: (text: string) => string
  /**
   * Tells most of the texts that fit, and are sent as they are, by one look: what is left is judged by `fits`, which
   * costs ten times as much. It may be asked of a text with blanks around, and says no.
   */
  readonly plain?: (text: string) => string
  /** The value in the words of Postgres; the text itself where it is left out. */
  readonly sent?: (text: string) => string
  /** An empty text is nothing: for every type but those of text. */
  readonly blankIsNull: boolean
}

/** How the texts of a source are written, where it is not the plain way. */
export interface Writing extends ValueReading {
  /** IANA zone of points in time that say none. */
  readonly zone: string
}

/** A regular expression that the whole text must fit (RE2). */
const full = (text: string, pattern: string): string => `regexp_full_match(${text}, '${pattern}')`

/** The day at the beginning of a text, as DuckDB reads it. */
const dayOf = (text: string): string =>
  `try_cast(case when contains(${text}, 'BC') then regexp_extract(${text}, '^[0-9/-]+') || ' (BC)' else regexp_extract(${text}, '^[0-9/-]+') end as date)`

const dayFits = (text: string, rest: string): string =>
  `((${full(text, `${day}${rest}${era}`)} and ${dayOf(text)} is not null) or ${full(lower(text), never)})`

const lower = (text: string): string => `lower(${text})`
const plainFraction = (text: string): string => `replace(replace(${text}, ',', '.'), '(BC)', 'BC')`

/** With a decimal comma a point is no sign of a number. */
const point = (text: string, { decimal }: Writing): string =>
  decimal === ',' ? `replace(${text}, ',', '.')` : text
const comma = (text: string, { decimal }: Writing, fits: string): string =>
  decimal === ',' ? `(not contains(${text}, '.') and ${fits})` : fits

function whole(type: string, duck: string, digits: number, writing: Writing): Cast {
  return {
    type,
    blankIsNull: true,
    plain: (text) => full(text, `[+-]?[0-9]{1,${digits}}`),
    // 1.0 is 1; DuckDB would take 1.5 for 2, too
    fits: (text) =>
      comma(
        text,
        writing,
        `(try_cast(${text} as ${duck}) is not null and ${full(text, '[+-]?[0-9]+')} or (${full(point(text, writing), '[+-]?[0-9]+\\.0*')} and try_cast(split_part(${point(text, writing)}, '.', 1) as ${duck}) is not null))`,
      ),
    sent: (text) => `split_part(${point(text, writing)}, '.', 1)`,
  }
}

/** numeric(p,s) holds p digits, s of them behind the point (Postgres, 8.1.2); without p and s, any. */
function exact(type: string, writing: Writing): Cast {
  const of = /\((\d+)(?:,\s*(-?\d+))?\)$/.exec(type)
  const special = (text: string, names: string) => full(lower(text), names)
  const sent = (text: string) => point(text, writing)
  if (!of)
    return {
      type,
      blankIsNull: true,
      plain: (text) => full(text, writing.decimal === ',' ? '[+-]?[0-9]+' : '[+-]?[0-9]+(\\.[0-9]+)?'),
      fits: (text) =>
        comma(text, writing, `(${full(point(text, writing), number)} or ${special(text, `nan|${never}`)})`),
      sent,
    }
  const scale = Number(of[2] ?? 0)
  const ahead = Math.max(0, Number(of[1]) - scale)
  const decimals = scale > 0 ? `(\\.[0-9]{0,${scale}}0*)?` : '(\\.0*)?'
  // the exponent is worked out by its own: such numbers are few
  const scientific = (text: string) =>
    `(contains(${lower(text)}, 'e') and ${full(text, number)} and abs(try_cast(${text} as double)) < 1e${ahead} and round(try_cast(${text} as double), ${scale}) = try_cast(${text} as double))`
  const short = scale > 0 && writing.decimal !== ',' ? `(\\.[0-9]{1,${scale}})?` : ''
  return {
    type,
    blankIsNull: true,
    ...(ahead > 0 ? { plain: (text) => full(text, `[+-]?[0-9]{1,${ahead}}${short}`) } : {}),
    fits: (text) => {
      const plain = point(text, writing)
      return comma(
        text,
        writing,
        `(${full(plain, `[+-]?0*[0-9]{0,${ahead}}${decimals}`)} and ${full(plain, '.*[0-9].*')} or ${scientific(plain)} or ${special(text, 'nan')})`,
      )
    },
    sent,
  }
}

/** Binary numbers keep `digits` decimal digits for certain (IEEE 754: 15 of a double, 6 of a single); more are kept where they come back. */
function floating(type: string, duck: string, digits: number, writing: Writing): Cast {
  return {
    type,
    blankIsNull: true,
    // so few letters are no more digits
    plain: (text) =>
      `(strlen(${text}) <= ${digits} and ${full(text, writing.decimal === ',' ? '[+-]?[0-9]+' : '[+-]?[0-9]+(\\.[0-9]+)?')})`,
    fits: (text) => {
      const plain = point(text, writing)
      const significant = `ltrim(regexp_replace(regexp_replace(${plain}, '[eE].*$', ''), '[+.-]', '', 'g'), '0')`
      const back = (value: string) => `try_cast(${value} as decimal(38,18))`
      const kept = `(length(${significant}) <= ${digits} and isfinite(try_cast(${plain} as ${duck})) or ${back(plain)} = ${back(`try_cast(${plain} as ${duck})::varchar`)} or ${lower(plain)} = try_cast(${plain} as ${duck})::varchar)`
      return comma(
        text,
        writing,
        `(${full(plain, number)} and ${kept} or ${full(lower(text), `nan|${never}`)})`,
      )
    },
    sent: (text) => point(text, writing),
  }
}

const localOf = (text: string): string => `try_cast(${plainFraction(text)} as timestamp)`
const zoneName = (zone: string): string => `'${zone.replace(/'/g, "''")}'`

/** A local time that the clock of the zone never shows (in the gap of spring) has no point in time. */
const shown = (text: string, zone: string): string =>
  `timezone(${zoneName(zone)}, timezone(${zoneName(zone)}, ${localOf(text)})) = ${localOf(text)}`

/** Does a text of a point in time, known to be one, say its offset? */
const saysOffset = (text: string): string =>
  `(right(${text}, 1) in ('Z', 'z', 'C') or contains(${text}, '+') or contains(substr(${text}, 12), '-') or contains(${lower(text)}, 'inf'))`

/** What has no offset is a time of the job's zone; of two such in autumn it is that of standard time, as in Postgres (8.5.1.3). */
const instantOf = (text: string, zone: string): string =>
  `case when ${saysOffset(text)} then ${plainFraction(text)} else make_timestamp(epoch_us(timezone(${zoneName(zone)}, ${localOf(text)})))::varchar || '+00' end`

type Make = (type: string, writing: Writing) => Cast
const text: Make = (type) => {
  const length = /\((\d+)\)$/.exec(type)?.[1]
  return length === undefined
    ? { type, blankIsNull: false }
    : {
        type,
        blankIsNull: false,
        // no more bytes are no more letters
        plain: (value) => `strlen(${value}) <= ${length}`,
        fits: (value) => `length(${value}) <= ${length}`,
      }
}
const json: Make = (type) => ({ type, blankIsNull: true, fits: (value) => `json_valid(${value})` })

/** Casts by the name of the type, without what stands in brackets behind it. */
const casts: Readonly<Record<string, Make>> = {
  smallint: (type, writing) => whole(type, 'smallint', 4, writing),
  integer: (type, writing) => whole(type, 'integer', 9, writing),
  bigint: (type, writing) => whole(type, 'bigint', 18, writing),
  numeric: exact,
  'double precision': (type, writing) => floating(type, 'double', 15, writing),
  real: (type, writing) => floating(type, 'float', 6, writing),
  boolean: (type) => ({
    type,
    blankIsNull: true,
    plain: (value) => `${value} in ('true', 'false', 't', 'f', '1', '0')`,
    fits: (value) => full(lower(value), booleanWords),
  }),
  date: (type) => ({
    type,
    blankIsNull: true,
    plain: (value) => full(value, plainDay),
    fits: (value) => dayFits(value, midnight),
    sent: (value) =>
      `case when ${full(lower(value), never)} then ${value} else regexp_extract(${value}, '^[0-9/-]+') || case when contains(${value}, 'BC') then ' BC' else '' end end`,
  }),
  'timestamp without time zone': (type) => ({
    type,
    blankIsNull: true,
    plain: (value) => full(value, `${plainDay}[T ]${plainClock(secondDigits(type))}`),
    fits: (value) => dayFits(value, `([T ]${clock(secondDigits(type))})?`),
    sent: plainFraction,
  }),
  'timestamp with time zone': (type, { zone }) => ({
    type,
    blankIsNull: true,
    plain: (value) =>
      full(value, `${plainDay}[T ]${plainClock(secondDigits(type))}(Z|[+-](0[0-9]|1[0-5])(:?[0-5][0-9])?)`),
    fits: (value) =>
      `(${dayFits(value, `[T ]${clock(secondDigits(type))}${offset}`)} or (${dayFits(value, `([T ]${clock(secondDigits(type))})?`)} and (${full(lower(value), never)} or ${shown(value, zone)})))`,
    sent: (value) => instantOf(value, zone),
  }),
  'time without time zone': (type) => ({
    type,
    blankIsNull: true,
    plain: (value) => full(value, plainClock(secondDigits(type))),
    fits: (value) => full(value, clock(secondDigits(type))),
    sent: plainFraction,
  }),
  uuid: (type) => ({
    type,
    blankIsNull: true,
    plain: (value) => full(value, '[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}'),
    fits: (value) => `try_cast(${value} as uuid) is not null`,
  }),
  json,
  jsonb: json,
  text,
  'character varying': text,
  character: text,
  bpchar: text,
  name: text,
  citext: text,
}

const quoted = (text: string): string => `'${text.replaceAll("'", "''")}'`
/** No value of any type but those of text: what the reading forbids. */
const forbidden = (text: string): string => `chr(1) || ${text}`

/** Letters that stand between groups of three digits. */
const groupSigns: Readonly<Record<string, string>> = {
  ',': ',',
  '.': '\\.',
  ' ': '[ \\x{00A0}\\x{202F}\\x{2009}]',
  "'": "['’]",
}

/** A number without its marks and signs of thousands, which stand where they may. */
function withoutSigns({ thousands, marks = [], decimal }: Writing): Cast['rewrite'] {
  if (!thousands && marks.length === 0) return undefined
  const blank = groupSigns[' ']!
  const mark = marks.length > 0 ? `(${marks.map(escapeRegExp).join('|')})` : undefined
  const group = thousands && groupSigns[thousands]!
  const point = decimal === ',' ? ',' : '\\.'
  const digits = group
    ? `([0-9]+|[1-9][0-9]{0,2}(${group}[0-9]{3})+)?(${point}[0-9]*)?([eE][+-]?[0-9]{1,3})?`
    : `[0-9.,]+([eE][+-]?[0-9]{1,3})?`
  const form = mark
    ? `[+-]?(${mark}${blank}?)?[+-]?${digits}(${blank}?${mark})?|\\((${mark}${blank}?)?${digits}(${blank}?${mark})?\\)|${digits}-`
    : `[+-]?${digits}`
  return (text) => {
    let bare = text
    if (mark) {
      bare = `regexp_replace(${bare}, ${quoted(`${mark}${blank}?|${blank}?${mark}|[()]|-$`)}, '', 'g')`
      bare = `case when regexp_full_match(${text}, ${quoted('\\(.*\\)|.*-')}) then '-' else '' end || ${bare}`
    }
    if (group) bare = `regexp_replace(${bare}, ${quoted(group)}, '', 'g')`
    const plain = full(lower(text), `nan|${never}`)
    return `case when regexp_full_match(${text}, ${quoted(form)}) then ${bare} when ${plain} then ${text} else ${forbidden(text)} end`
  }
}

/** Days and times by patterns, as ISO 8601; what fits none is left as it is. */
function byPatterns(kind: 'date' | 'time' | 'timestamp', { dates = [] }: Writing): Cast['rewrite'] {
  // a day may become a point in time, as its beginning
  const own = dates.filter((pattern) =>
    (kind === 'timestamp' ? ['timestamp', 'date'] : [kind]).includes(patternKind(pattern)),
  )
  if (own.length === 0) return undefined
  // a year that comes first with another order would be taken for ISO's
  const iso = own.every((pattern) => !pattern.startsWith('y'))
  return (text) =>
    `case when regexp_full_match(${text}, ${quoted(own.map((pattern) => `(${patternRegex(pattern)})`).join('|'))}) then coalesce((${patternSql(text, own)})::${kind}::varchar, ${forbidden(text)}) else ${iso ? text : forbidden(text)} end`
}

/** Words for true and false besides those that everybody knows. */
function byWords({ yes = [], no = [] }: Writing): Cast['rewrite'] {
  if (yes.length + no.length === 0) return undefined
  const when = (text: string, words: readonly string[], then: string) =>
    words.length === 0
      ? ''
      : `when ${lower(text)} in (${words.map((word) => quoted(word.toLowerCase())).join(', ')}) then '${then}' `
  return (text) => `case ${when(text, yes, 'true')}${when(text, no, 'false')}else ${text} end`
}

/** What a reading does to the texts of a type. */
const rewrites: Readonly<Record<string, (writing: Writing) => Cast['rewrite']>> = {
  smallint: withoutSigns,
  integer: withoutSigns,
  bigint: withoutSigns,
  numeric: withoutSigns,
  'double precision': withoutSigns,
  real: withoutSigns,
  boolean: byWords,
  date: (writing) => byPatterns('date', writing),
  'timestamp without time zone': (writing) => byPatterns('timestamp', writing),
  'timestamp with time zone': (writing) => byPatterns('timestamp', writing),
  'time without time zone': (writing) => byPatterns('time', writing),
}

/** The cast of texts to a column of this type. Types that are not named above are judged by Postgres itself. */
export function castTo(type: string, writing: Writing): Cast {
  const name = type.replace(/\(.*\)/, '').trim()
  const make = casts[name]
  if (!make) return { type, blankIsNull: true }
  const rewrite = rewrites[name]?.(writing)
  return { ...make(type, writing), ...(rewrite ? { rewrite } : {}) }
}
