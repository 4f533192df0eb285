import { castTo, type Cast } from '../../core/cast/cast'
import { duckTypeFor } from '../../core/catalog/types'
import type { ValueReading } from '../../core/files/valueReading'
import { quoteName } from '../../core/text/slot'
import { literal } from '../duck/duck'
import type { OpenSource } from './source'

/** A column that is wanted of a source. */
export interface Wanted {
  /** Its name there. */
  readonly source: string
  /** Postgres's name of the type that it is to have; undefined: as it is. */
  readonly type: string | undefined
  /** What the job does to it on the way. */
  readonly shaped?: (operand: string) => string
}

/** Columns of a source as the types that are wanted of them. */
export interface Casting {
  /** Stands after FROM; without the rows that have a value that does not fit. */
  readonly from: string
  /** One expression for each column wanted, over `from`. */
  readonly operands: readonly string[]
  /** The source with what is judged of it, the rows that do not fit among them. */
  readonly judged: string
  /** Tells the rows of `judged` that do not fit; undefined where all do. */
  readonly wrong: string | undefined
  /** What may not fit, in the order of the columns. */
  readonly tries: readonly {
    /** The column; '' for the whole row. */
    readonly column: string
    readonly wrong: string
    /** An expression for what is wrong with a row. */
    readonly reason: string
    /** The same of all such rows. */
    readonly words: string
  }[]
}

const noRecord = 'a line that is no JSON object'

/** Types whose every value fits, by what DuckDB read it as. */
const wider: Readonly<Record<string, readonly string[]>> = {
  'double precision': ['INTEGER', 'SMALLINT', 'TINYINT', 'FLOAT', 'DOUBLE'],
  real: ['SMALLINT', 'TINYINT', 'FLOAT'],
  bigint: ['BIGINT', 'INTEGER', 'SMALLINT', 'TINYINT', 'UINTEGER', 'USMALLINT', 'UTINYINT'],
  integer: ['INTEGER', 'SMALLINT', 'TINYINT', 'USMALLINT', 'UTINYINT'],
  smallint: ['SMALLINT', 'TINYINT', 'UTINYINT'],
  boolean: ['BOOLEAN'],
  date: ['DATE'],
  uuid: ['UUID'],
  'time without time zone': ['TIME'],
  'timestamp without time zone': ['TIMESTAMP', 'TIMESTAMP_S', 'TIMESTAMP_MS', 'DATE'],
  'timestamp with time zone': ['TIMESTAMP WITH TIME ZONE'],
}
const sure = (native: string, type: string): boolean => {
  if (wider[type]?.includes(native)) return true
  const decimal = /^DECIMAL\((\d+),(\d+)\)$/.exec(native)
  const numeric = /^numeric(?:\((\d+),(\d+)\))?$/.exec(type)
  if (!numeric) return false
  const any = numeric[1] === undefined
  if (!decimal)
    return any && /^(NUMERIC|U?(TINY|SMALL|BIG|HUGE)?INT(EGER)?|UINTEGER|DOUBLE|FLOAT)$/.test(native)
  const [digits, scale] = [Number(decimal[1]), Number(decimal[2])]
  return any || (scale <= Number(numeric[2]) && digits - scale <= Number(numeric[1]) - Number(numeric[2]))
}

/** A point in time as text in UTC; right for the odd offsets before standard time, whose seconds DuckDB's writing drops. */
const instantText = (column: string): string =>
  `case when isfinite(${column}) then replace(make_timestamp(epoch_us(${column}))::varchar, ' (BC)', '') || '+00' || case when year(make_timestamp(epoch_us(${column}))) <= 0 then ' BC' else '' end else ${column}::varchar end`

/** A value of a type of DuckDB's as Postgres would write it. */
function textOf(column: string, native: string): string {
  if (native === 'VARCHAR' || native === 'NUMERIC') return column
  if (native === 'BLOB') return `'\\x' || lower(hex(${column}))`
  if (native === 'JSON') return `(${column} ->> '$')`
  if (native === 'TIMESTAMP WITH TIME ZONE') return instantText(column)
  if (native === 'DATE' || native.startsWith('TIMESTAMP')) return `replace(${column}::varchar, '(BC)', 'BC')`
  if (/[\[(]/.test(native) && !native.startsWith('DECIMAL')) return `to_json(${column})::varchar`
  return `${column}::varchar`
}

/** A column without the words that stand for nothing; `operand` is any expression of a text. */
export function withoutNulls(operand: string, { nulls = [] }: ValueReading): string {
  if (nulls.length === 0) return operand
  const list = nulls.map(literal).join(', ')
  return `(case when trim(${operand}, E' \\t\\r\\n') in (${list}) then null else ${operand} end)`
}

/** How the values of a column are written: as its own reading says, else as that of the source. */
export const readingFor = ({ reading = {}, readings }: OpenSource, column: string): ValueReading => ({
  ...reading,
  ...readings?.get(column),
})

/** The cast to a type by the column's way of writing; of files that differ in the decimal sign each row by its own. */
function castBy(type: string, source: OpenSource, column: string, zone: string, text: boolean): Cast {
  if (!text) return castTo(type, { zone })
  const reading = readingFor(source, column)
  const plain = castTo(type, { ...reading, zone })
  if (source.decimal === undefined || reading.thousands !== undefined) return plain
  const comma = castTo(type, { ...reading, decimal: ',', zone })
  if (source.decimal === ',') return comma
  const either = (of: 'fits' | 'sent' | 'rewrite') => {
    const [with_, without] = [comma[of], plain[of]]
    if (!with_ && !without) return undefined
    return (value: string) =>
      `case when mattock_decimal = ',' then ${with_?.(value) ?? value} else ${without?.(value) ?? value} end`
  }
  const [fits, sent, rewrite] = [either('fits'), either('sent'), either('rewrite')]
  return {
    type,
    ...(rewrite ? { rewrite } : {}),
    blankIsNull: plain.blankIsNull,
    // by the plain look of both: what is one only with a comma, or only without, is judged by the whole
    ...(plain.plain && comma.plain ? { plain: comma.plain } : {}),
    ...(fits && plain.fits ? { fits } : {}),
    ...(sent && (plain.sent ?? comma.sent) ? { sent } : {}),
  }
}

/**
 * Casts the columns wanted: into texts that Postgres takes, or into values of DuckDB's where files are written. A value
 * that does not fit as it is written leaves its row out, told by `wrong`; of a source that flows once it is a fault.
 */
export function castColumns(
  source: OpenSource,
  wanted: readonly Wanted[],
  { zone, into }: { readonly zone: string; readonly into: 'text' | 'values' },
): Casting {
  const natives = new Map(source.columns.map(({ name, type }) => [name, type]))
  const owns: string[] = []
  const texts: string[] = []
  const plains: string[] = []
  const values: string[] = []
  const tries: Casting['tries'][number][] = []
  if (source.broken)
    tries.push({ column: '', wrong: source.broken, reason: literal(noRecord), words: noRecord })
  const operands = wanted.map(({ source: name, type, shaped = (operand) => operand }, i) => {
    const native = natives.get(name) ?? 'VARCHAR'
    const column =
      native === 'VARCHAR' ? withoutNulls(quoteName(name), readingFor(source, name)) : quoteName(name)
    if (type === undefined) return native === 'VARCHAR' ? shaped(column) : column
    if (sure(native, type))
      return into === 'values'
        ? `${column}::${duckTypeFor(type)}`
        : native === 'TIMESTAMP WITH TIME ZONE'
          ? instantText(column)
          : textOf(column, native)
    const cast = castBy(type, source, name, zone, native === 'VARCHAR')
    const text = cast.blankIsNull ? textOf(column, native) : shaped(textOf(column, native))
    const [raw, plain, value] = [`mattock_t${i}`, `mattock_p${i}`, `mattock_v${i}`]
    const trim = (operand: string) =>
      cast.blankIsNull ? `nullif(trim(${operand}, E' \\t\\r\\n'), '')` : operand
    // a text that is written another way is rewritten before it is judged
    const own = cast.rewrite && `mattock_o${i}`
    if (own) {
      owns.push(`${trim(text)} as ${own}`)
      texts.push(`${cast.rewrite!(own)} as ${raw}`)
    } else texts.push(`${text} as ${raw}`)
    // what is plain needs no second look, nor any change
    const trimmed = own ? raw : trim(raw)
    if (cast.plain) plains.push(`${cast.plain(raw)} as ${plain}`)
    values.push(`${cast.plain ? `case when ${plain} then ${raw} else ${trimmed} end` : trimmed} as ${value}`)
    const ifPlain = (then: string, otherwise: string) =>
      cast.plain ? `case when ${plain} then ${then} else ${otherwise} end` : otherwise
    const sent = cast.sent ? ifPlain(value, cast.sent(value)) : value
    const cannot =
      cast.fits && ifPlain('false', `(${value} is not null and (${cast.fits(value)}) is not true)`)
    const given = into === 'text' ? sent : `try_cast(${sent} as ${duckTypeFor(type)})`
    if (!cannot) return given
    if (source.once)
      return `case when ${cannot} then error(${literal(`${name}: `)} || ${value} || ${literal(` does not fit ${type}`)}) else ${given} end`
    tries.push({
      column: name,
      wrong: cannot,
      reason: `${literal(`${name} "`)} || ${own ?? value} || ${literal(`" does not fit ${type}`)}`,
      words: `${name}: cannot be read as its type`,
    })
    return given
  })
  const from = source.sql()
  const layer = (over: string, more: readonly string[]) =>
    more.length > 0 ? `(select *, ${more.join(', ')} from ${over})` : over
  const judged = layer(layer(layer(layer(from, owns), texts), plains), values)
  if (tries.length === 0) return { from: judged, judged, operands, wrong: undefined, tries }
  const wrong = tries.map((entry) => entry.wrong).join(' or ')
  return { from: `(select * from ${judged} where not (${wrong}))`, judged, operands, wrong, tries }
}
