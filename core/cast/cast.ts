import { patternKind, patternRegex, patternSql } from '../files/datePattern'
import type { ValueReading } from '../files/valueReading'

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

const day = '([0-9]{4,6}-[0-9]{1,2}-[0-9]{1,2}|[0-9]{4}/[0-9]{1,2}/[0-9]{1,2})'
const era = '( ?\\(?BC\\)?)?'
/** Postgres keeps microseconds: of a finer fraction only zeros may follow. */
const fraction = '([.,][0-9]{1,6}0*)?'
const clock = `([01]?[0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9]${fraction})?`
const midnight = '([T ]00:00(:00([.,]0+)?)?)?'
/** Days that every year has, in full; February's 29th is looked up. */
const plainDay =
  '[1-9][0-9]{3}-((0[1-9]|1[0-2])-(0[1-9]|1[0-9]|2[0-8])|(0[13-9]|1[0-2])-(29|30)|(0[13578]|1[02])-31)'
const plainClock = '([01][0-9]|2[0-3]):[0-5][0-9](:[0-5][0-9](\\.[0-9]{1,6})?)?'
/** Postgres knows offsets of less than 16 hours. */
const offset = ' ?(Z|z|UTC|[+-](0[0-9]|1[0-5])(:?[0-5][0-9](:?[0-5][0-9])?)?)'
const never = '[+-]?(infinity|inf)'
const number = '[+-]?([0-9]+\\.?[0-9]*|\\.[0-9]+)([eE][+-]?[0-9]{1,3})?'

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

const booleanWords = 'true|false|t|f|yes|no|y|n|on|off|1|0'

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
    plain: (value) => full(value, `${plainDay}[T ]${plainClock}`),
    fits: (value) => dayFits(value, `([T ]${clock})?`),
    sent: plainFraction,
  }),
  'timestamp with time zone': (type, { zone }) => ({
    type,
    blankIsNull: true,
    plain: (value) => full(value, `${plainDay}[T ]${plainClock}(Z|[+-](0[0-9]|1[0-5])(:?[0-5][0-9])?)`),
    fits: (value) =>
      `(${dayFits(value, `[T ]${clock}${offset}`)} or (${dayFits(value, `([T ]${clock})?`)} and (${full(lower(value), never)} or ${shown(value, zone)})))`,
    sent: (value) => instantOf(value, zone),
  }),
  'time without time zone': (type) => ({
    type,
    blankIsNull: true,
    plain: (value) => full(value, plainClock),
    fits: (value) => full(value, clock),
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
const escaped = (text: string): string => text.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')

/** Letters that stand between groups of three digits. */
const groupSigns: Readonly<Record<string, string>> = {
  ',': ',',
  '.': '\\.',
  ' ': '[ \\x{00A0}\\x{202F}\\x{2009}]',
  "'": "['’]",
}

/**
 * A number with signs of thousands, or with marks at it: it fits where it does without them, and they stand where they
 * may. What is plain needs none of it.
 */
function withSigns(cast: Cast, { thousands, marks = [], decimal }: Writing): Cast {
  if (!thousands && marks.length === 0) return cast
  const blank = groupSigns[' ']!
  const mark = marks.length > 0 ? `(${marks.map(escaped).join('|')})` : undefined
  const group = thousands && groupSigns[thousands]!
  const point = decimal === ',' ? ',' : '\\.'
  const digits = group
    ? `([0-9]+|[1-9][0-9]{0,2}(${group}[0-9]{3})+)?(${point}[0-9]*)?([eE][+-]?[0-9]{1,3})?`
    : `[0-9.,]+([eE][+-]?[0-9]{1,3})?`
  const form = mark
    ? `[+-]?(${mark}${blank}?)?[+-]?${digits}(${blank}?${mark})?|\\((${mark}${blank}?)?${digits}(${blank}?${mark})?\\)|${digits}-`
    : `[+-]?${digits}`
  const bare = (text: string): string => {
    let plain = text
    if (mark) {
      const negative = `regexp_full_match(${text}, ${quoted('\\(.*\\)|.*-')})`
      plain = `regexp_replace(${plain}, ${quoted(`${mark}${blank}?|${blank}?${mark}|[()]|-$`)}, '', 'g')`
      plain = `case when ${negative} then '-' || ${plain} else ${plain} end`
    }
    return group ? `regexp_replace(${plain}, ${quoted(group)}, '', 'g')` : plain
  }
  const special = (text: string) => `${full(lower(text), `nan|${never}`)}`
  const fits = (text: string) =>
    `((${full(text, form.replaceAll("'", "''"))} or ${special(text)}) and ${cast.fits?.(`(${bare(text)})`) ?? 'true'})`
  return { ...cast, fits, sent: (text) => cast.sent?.(`(${bare(text)})`) ?? bare(text) }
}

/** Days and times by patterns: where one fits the value goes out as ISO 8601, else it is read as that. */
function withPatterns(cast: Cast, kind: 'date' | 'time' | 'timestamp', { dates = [] }: Writing): Cast {
  // a day may become a point in time, as its beginning
  const own = dates.filter(
    (pattern) => patternKind(pattern) === kind || (kind === 'timestamp' && patternKind(pattern) === 'date'),
  )
  if (own.length === 0) return cast
  // a year that comes first with another order would be taken for ISO's
  const iso = own.every((pattern) => !pattern.startsWith('y'))
  const tried = own.map((pattern) => ({
    fits: (text: string) => full(text, patternRegex(pattern).replaceAll("'", "''")),
    read: (text: string) => patternSql(text, pattern),
  }))
  const read = (text: string) =>
    `case ${tried.map((one) => `when ${one.fits(text)} then ${one.read(text)}`).join(' ')} end`
  const { plain, fits, sent } = cast
  const target = { date: 'date', time: 'time', timestamp: 'timestamp' }[kind]
  return {
    type: cast.type,
    blankIsNull: cast.blankIsNull,
    ...(iso && plain ? { plain } : {}),
    fits: (text) => {
      const written = `(${read(text)})::${target}::varchar`
      return `case when (${read(text)}) is not null then ${fits?.(written) ?? 'true'} else ${iso ? (fits?.(text) ?? 'true') : 'false'} end`
    },
    sent: (text) => {
      const written = `(${read(text)})::${target}::varchar`
      return `case when (${read(text)}) is not null then ${sent?.(written) ?? written} else ${sent?.(text) ?? text} end`
    },
  }
}

/** Words for true and false besides those that everybody knows. */
function withWords(cast: Cast, { yes = [], no = [] }: Writing): Cast {
  if (yes.length + no.length === 0) return cast
  const among = (text: string, words: readonly string[]) =>
    words.length === 0
      ? 'false'
      : `${lower(text)} in (${words.map((word) => quoted(word.toLowerCase())).join(', ')})`
  const { plain, fits } = cast
  return {
    ...cast,
    // a word of the job's own may be one that is plain otherwise
    ...(plain ? { plain: (text) => `(${plain(text)} and not (${among(text, [...yes, ...no])}))` } : {}),
    fits: (text) => `(${among(text, [...yes, ...no])} or ${fits?.(text) ?? 'true'})`,
    sent: (text) =>
      `case when ${among(text, yes)} then 'true' when ${among(text, no)} then 'false' else ${text} end`,
  }
}

/** What a reading does to the cast of a type. */
const readings: Readonly<Record<string, (cast: Cast, writing: Writing) => Cast>> = {
  smallint: withSigns,
  integer: withSigns,
  bigint: withSigns,
  numeric: withSigns,
  'double precision': withSigns,
  real: withSigns,
  boolean: withWords,
  date: (cast, writing) => withPatterns(cast, 'date', writing),
  'timestamp without time zone': (cast, writing) => withPatterns(cast, 'timestamp', writing),
  'timestamp with time zone': (cast, writing) => withPatterns(cast, 'timestamp', writing),
  'time without time zone': (cast, writing) => withPatterns(cast, 'time', writing),
}

/** The cast of texts to a column of this type. Types that are not named above are judged by Postgres itself. */
export function castTo(type: string, writing: Writing): Cast {
  const name = type.replace(/\(.*\)/, '').trim()
  const make = casts[name]
  if (!make) return { type, blankIsNull: true }
  const cast = make(type, writing)
  return readings[name]?.(cast, writing) ?? cast
}
