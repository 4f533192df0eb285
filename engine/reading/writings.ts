import type { DuckDBConnection } from '@duckdb/node-api'
import { judgeEvidence, type Verdict } from '../../core/catalog/evidence'
import { castTo } from '../../core/cast/cast'
import { markIn, trimSql } from '../../core/catalog/valueClass'
import { postgresTypeFor } from '../../core/catalog/types'
import { patternKind } from '../../core/files/datePattern'
import type { ValueType } from '../../core/value'
import { isPlain, readingText, type ValueReading } from '../../core/files/valueReading'
import { quoteName } from '../../core/text/slot'
import { literal } from '../duck/duck'
import { classCounts, otherValues } from './classCounts'
import { readingFor, withoutNulls, type Wanted } from './cast'
import type { OpenSource } from './source'

/** Rows of text that are looked at to find what their columns are. */
const lookedAt = 20_000

/** What columns of text are, by their values; of the signs at numbers those that are there. */
export async function judgeColumns(
  duck: DuckDBConnection,
  source: OpenSource,
  names: readonly string[],
): Promise<Map<string, Verdict>> {
  const operands = names.map((name) => withoutNulls(quoteName(name), readingFor(source, name)))
  const from = `(select * from ${source.sql()} limit ${lookedAt})`
  const counts = await classCounts(duck, from, operands)
  const verdicts = new Map<string, Verdict>()
  for (const [i, name] of names.entries()) {
    const verdict = judgeEvidence({ counts: counts[i]!, firsts: {}, longest: 0 })
    verdicts.set(name, await withMarks(duck, source.sql(), name, verdict))
  }
  return verdicts
}

/** The types that columns of text have by what the job says of their writing: the first that all values seen fit. */
export async function typesByReading(
  duck: DuckDBConnection,
  source: OpenSource,
  names: readonly string[],
): Promise<Map<string, ValueType>> {
  const tried = names.flatMap((name) =>
    typesOf(source.reading ?? {}).map((type) => ({ name, type, reading: readingFor(source, name) })),
  )
  const found = new Map<string, ValueType>()
  if (tried.length === 0) return found
  const inner = names.map(
    (name, i) => `nullif(${trimSql(withoutNulls(quoteName(name), readingFor(source, name)))}, '') as v${i}`,
  )
  const casts = tried.map(({ type, reading }) => castTo(postgresTypeFor(type), { ...reading, zone: 'UTC' }))
  const middle = tried.map(({ name }, i) => {
    const v = `v${names.indexOf(name)}`
    return `${casts[i]!.rewrite?.(v) ?? v} as r${i}`
  })
  const outer = tried.map(
    (_, i) =>
      `count(r${i}) > 0 and coalesce(bool_and(${casts[i]!.fits?.(`r${i}`) ?? 'true'}) filter (where r${i} is not null), false)`,
  )
  const reader = await duck.runAndReadAll(
    `select ${outer.join(', ')} from (select ${middle.join(', ')} from (select ${inner.join(', ')} from ${source.sql()} limit ${lookedAt}))`,
  )
  const [row] = reader.getRows()
  for (const [i, { name, type }] of tried.entries())
    if (row?.[i] === true && !found.has(name)) found.set(name, type)
  return found
}

/** The types that a reading is about, the narrowest first. */
function typesOf({ dates = [], yes, no, thousands, marks, decimal }: ValueReading): ValueType[] {
  return [
    ...new Set<ValueType>([
      ...(yes || no ? (['boolean'] as const) : []),
      ...(thousands || marks || decimal ? (['integer', 'decimal'] as const) : []),
      ...dates.map(patternKind),
    ]),
  ]
}

/**
 * A reading that leaves signs out names those that are there. Where there are several, one left out would make the
 * others' numbers alike: the column stays text.
 */
export async function withMarks(
  duck: DuckDBConnection,
  from: string,
  column: string,
  verdict: Verdict,
): Promise<Verdict> {
  const { reading } = verdict
  if (!reading?.marks) return verdict
  const values = await otherValues(
    duck,
    `(select * from ${from} limit ${lookedAt})`,
    quoteName(column),
    false,
  )
  const seen = [...new Set(values.flatMap(({ value }) => markIn(value) ?? []))]
  if (seen.length > 1) {
    const { reading: _, ...text } = verdict
    return { ...text, type: 'text', asked: [] }
  }
  // brackets and a minus behind are no signs that are left out, but only read with them
  return { ...verdict, reading: { ...reading, marks: seen.length > 0 ? seen : ['( )'] } }
}

/**
 * How columns of text are written that are wanted as something else, worked out from their values where the job leaves it
 * to us; with what could be read in two ways, in words.
 */
export async function workOut(
  duck: DuckDBConnection,
  source: OpenSource,
  wanted: readonly Pick<Wanted, 'source' | 'type'>[],
): Promise<{ readings: ReadonlyMap<string, ValueReading>; said: string[] }> {
  const readings = new Map(source.readings)
  const said: string[] = []
  if (!source.detects || source.once) return { readings, said }
  const natives = new Map(source.columns.map(({ name, type }) => [name, type]))
  const texts = /^(text|character|varchar|bpchar|name|citext|json)/
  const open = wanted
    .filter(
      ({ source: name, type }) => type !== undefined && !texts.test(type) && natives.get(name) === 'VARCHAR',
    )
    .map(({ source: name }) => name)
    .filter((name) => !readings.has(name))
  for (const [name, { reading, asked = [] }] of await judgeColumns(duck, source, [...new Set(open)])) {
    if (reading) readings.set(name, reading)
    if (asked.length > 0) said.push(askedText(name, asked))
  }
  return { readings, said }
}

/** `day: its values can be d/M/yyyy or M/d/yyyy; say dates: in the job`. */
export function askedText(name: string, asked: NonNullable<Verdict['asked']>): string {
  const ways = asked.map(({ type, reading }) => [type, readingText(reading)].filter(Boolean).join(' '))
  const keys = [...new Set(asked.flatMap(({ reading }) => Object.keys(reading)))]
  return `${name}: its values can be ${ways.join(', or ')}; say ${keys.map((key) => `${key}:`).join(' ')} in the job`
}

/**
 * What the rules of reading did to the values of a load, in words with their numbers: words that were read as nothing,
 * numbers, days and truths that were written another way. Nothing where there are no such rules.
 */
export async function changesBy(
  duck: DuckDBConnection,
  source: OpenSource,
  wanted: readonly Wanted[],
  zone: string,
): Promise<string[]> {
  if (source.once) return []
  const natives = new Map(source.columns.map(({ name, type }) => [name, type]))
  const asked = wanted.flatMap(({ source: name, type }) => {
    const reading = readingFor(source, name)
    return natives.get(name) !== 'VARCHAR' || isPlain(reading) ? [] : [{ name, type, reading }]
  })
  if (asked.length === 0) return []
  const inner = asked.map(({ name }, i) => `nullif(${trimSql(quoteName(name))}, '') as v${i}`)
  const casts = asked.map(({ type, reading }) =>
    type === undefined ? undefined : castTo(type, { ...reading, zone }),
  )
  const lists = asked.map(({ reading }) => (reading.nulls ?? []).map(literal).join(', '))
  const isNull = (i: number) => (lists[i] ? `v${i} in (${lists[i]})` : 'false')
  const middle = asked.map((_, i) => `v${i}, ${casts[i]?.rewrite?.(`v${i}`) ?? `v${i}`} as r${i}`)
  const outer = asked.flatMap(({ reading }, i) => {
    const { fits, rewrite } = casts[i] ?? {}
    const changes = rewrite
      ? `r${i} is distinct from v${i}`
      : reading.decimal
        ? `contains(v${i}, ',')`
        : undefined
    return [
      lists[i] ? `histogram(v${i}) filter (where ${isNull(i)})` : 'null',
      changes
        ? `count(*) filter (where v${i} is not null and not (${isNull(i)}) and ${changes} and (${fits?.(`r${i}`) ?? 'true'}))`
        : '0',
    ]
  })
  const reader = await duck.runAndReadAll(
    `select ${outer.join(', ')} from (select ${middle.join(', ')} from (select ${inner.join(', ')} from ${source.sql()}))`,
  )
  const [row] = reader.getRows()
  return asked.flatMap(({ name, reading }, i) => {
    const words =
      (row?.[2 * i] as unknown as { entries: { key: string; value: bigint }[] } | null)?.entries ?? []
    const changed = Number(row?.[2 * i + 1] ?? 0)
    const { nulls: _, ...way } = reading
    return [
      ...(words.length > 0
        ? [
            `${name}: ${words.map(({ key, value }) => `${Number(value).toLocaleString('en')} × "${key}"`).join(', ')} read as nothing`,
          ]
        : []),
      ...(changed > 0 ? [`${name}: ${changed.toLocaleString('en')} values read by ${readingText(way)}`] : []),
    ]
  })
}
