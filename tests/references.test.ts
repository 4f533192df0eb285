import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import fc from 'fast-check'
import { validate } from 'tableschema'
import { afterAll, describe, expect, it } from 'vitest'
import { openStore } from '../engine/connectors/files/store'
import { findDialect } from '../core/files/dialect'
import { judgeEvidence, type Verdict } from '../core/catalog/evidence'
import { editedColumns } from '../core/catalog/edits'
import { toTableSchema } from '../core/catalog/tableSchema'
import { quoteName } from '../core/text/slot'
import {
  classOf,
  classSql,
  commonClasses,
  trimSql,
  otherClass,
  valueClasses,
} from '../core/catalog/valueClass'
import { typedSql } from '../engine/catalog/reading'
import { formats } from '../engine/formats'
import { readShapes, type ReadFile } from '../engine/survey/shapes'
import { withDuck } from '../engine/duck/duck'

const folder = mkdtempSync(join(tmpdir(), 'mattock-references-'))
afterAll(() => rmSync(folder, { recursive: true, force: true }))
const data = join(import.meta.dirname, '../node_modules/vega-datasets/data')
const reference = JSON.parse(readFileSync(join(import.meta.dirname, 'references/vega.json'), 'utf8')) as {
  files: Record<
    string,
    { rows: number; columns: { name: string; pandas: string; blank: number; sum: number | null }[] }
  >
}

async function shapeOf(name: string): Promise<ReadFile> {
  const read: ReadFile[] = []
  const file = { path: name, size: statSync(join(data, name)).size, modified: '' }
  await withDuck('UTC', true, (duck) =>
    readShapes(
      duck,
      openStore('vega', data),
      [file],
      folder,
      async (lot) => void read.push(...lot),
      new AbortController().signal,
    ),
  )
  return read[0]!
}

const asPandas: Record<Verdict['type'], string> = {
  integer: 'int64', decimal: 'float64', number: 'float64', boolean: 'bool', text: 'object', date: 'object', time: 'object', timestamp: 'object',
} // prettier-ignore

/** Where pandas and we disagree, and why: file and column, ours against theirs. */
const explained: Record<string, string> = {
  'species.csv county_id': 'codes such as 01001: as numbers they would lose their zeros, which pandas drops',
  'zipcodes.csv zip_code': 'codes such as 00501: the same',
}

/** Whole numbers with gaps: pandas has no missing whole number, so it makes them floats (its documentation, "Integer dtypes and missing data"). */
const gaps = (ours: string, theirs: string, blank: number): boolean =>
  ours === 'integer' && theirs === 'float64' && blank > 0

describe('the open data of vega-datasets', () => {
  it.each(Object.keys(reference.files))('%s: rows, sums and types', async (name) => {
    const wanted = reference.files[name]!
    const { tables, fault } = await shapeOf(name)
    expect(fault).toBeNull()
    const [table] = tables
    expect(table!.rows).toBe(wanted.rows)
    expect(table!.columns.map((column) => column.name)).toEqual(wanted.columns.map((column) => column.name))
    const verdicts = table!.columns.map(({ counts, longest }) =>
      judgeEvidence({ counts, firsts: {}, longest }),
    )
    const odd = verdicts.flatMap(({ type }, i) => {
      const { name: column, pandas, blank } = wanted.columns[i]!
      if (asPandas[type] === pandas || gaps(type, pandas, blank) || explained[`${name} ${column}`]) return []
      return [`${name} ${column}: ${type} against ${pandas}`]
    })
    expect(odd).toEqual([])
    const sums = await withDuck('UTC', true, async (duck) => {
      const where = [{ full: join(data, name), path: name }]
      const relation = await formats[table!.format.kind].relation(duck, where, table!.format, table!.columns.map((column) => column.name), folder) // prettier-ignore
      const list = verdicts.map((verdict, i) =>
        ['integer', 'decimal'].includes(verdict.type)
          ? `fsum(${typedSql(quoteName(table!.columns[i]!.name), { ...verdict }, 'VARCHAR')}::double)`
          : 'null',
      )
      return (await duck.runAndReadAll(`select ${list.join(', ')} from ${relation.sql}`)).getRows()[0]!
    })
    for (const [i, { sum }] of wanted.columns.entries())
      if (sum !== null && sums[i] !== null)
        expect(Math.abs(Number(sums[i]) - sum)).toBeLessThanOrEqual(Math.abs(sum) * 1e-12 + 1e-9)
  })
})

describe('dialects, held against DuckDB’s own sniffer', () => {
  const rows = (delimiter: string, quote = '') =>
    Array.from({ length: 30 }, (_, i) =>
      [`${quote}n${i}${quote}`, String(i), (i / 4).toFixed(2), '2026-01-02'].join(delimiter),
    ).join('\n')
  const texts: Record<string, string> = {
    commas: `name,n,value,day\n${rows(',')}\n`,
    semicolons: `name;n;value;day\n${rows(';')}\n`,
    tabs: `name\tn\tvalue\tday\n${rows('\t')}\n`,
    bars: `name|n|value|day\n${rows('|')}\n`,
    quotes: `name,n,value,day\n${rows(',', '"')}\n`,
    'no header': `${rows(',')}\n`,
    CRLF: `name,n,value,day\r\n${rows(',').replaceAll('\n', '\r\n')}\r\n`,
  }
  const sniffed = async (path: string) =>
    await withDuck('UTC', true, async (duck) => {
      const reader = await duck.runAndReadAll(
        `select Delimiter, HasHeader, list_transform(Columns, c -> c.name) from sniff_csv('${path}')`,
      )
      const [delimiter, header, names] = reader.getRows()[0]!
      return { delimiter, header, names: (names as unknown as { items: string[] }).items }
    })
  const ours = (path: string) => {
    const { format, names } = findDialect(readFileSync(path, 'utf8').slice(0, 65_536), {
      whole: statSync(path).size <= 65_536,
    })!
    return { delimiter: format.delimiter, header: format.header, names }
  }
  it.each(Object.entries(texts))('%s', async (name, text) => {
    const path = join(folder, `${name}.csv`)
    writeFileSync(path, text)
    const [mine, theirs] = [ours(path), await sniffed(path)]
    expect({ delimiter: mine.delimiter, header: mine.header }).toEqual({
      delimiter: theirs.delimiter,
      header: theirs.header,
    })
    if (mine.header) expect(mine.names).toEqual(theirs.names)
  })
  it.each(['airports.csv', 'seattle-weather.csv', 'stocks.csv', 'birdstrikes.csv', 'co2-concentration.csv'])(
    '%s',
    async (name) => {
      expect(ours(join(data, name))).toEqual(await sniffed(join(data, name)))
    },
  )
})

it('tells the same class of a value in the pages and in DuckDB', async () => {
  const piece = fc.constantFrom(
    '0',
    '1',
    '12',
    '007',
    '-',
    '+',
    '.',
    ',',
    'e5',
    ':',
    'T',
    ' ',
    'Z',
    '2026-02-28',
    '2026-02-30',
    '31.12.2026',
    '05:30',
    '25:61',
    'true',
    'False',
    'x',
    '<',
    '\t',
    'é',
    "'",
  )
  const values = fc.sample(
    fc.oneof(
      fc.array(piece, { maxLength: 5 }).map((parts) => parts.join('')),
      fc.string({ maxLength: 12 }).map((text) => text.replaceAll('\0', '')),
    ),
    4000,
  )
  const rareOf = (text: string) => {
    const found = classOf(text)
    return commonClasses.includes(found) ? `${found}, not told by DuckDB` : found
  }
  const trimmed = (text: string) => text.replace(/^[ \t\r\n]+|[ \t\r\n]+$/g, '')
  const list = values.map((value) => `('${value.replace(/'/g, "''")}')`).join(', ')
  const told = await withDuck('UTC', true, async (duck) =>
    (
      await duck.runAndReadAll(
        `select ${classSql('v')} from (select ${trimSql('x')} as v from (values ${list}) t(x))`,
      )
    )
      .getRows()
      .map(([place], i) =>
        // the rare ones are told by the core alone
        Number(place) === otherClass ? rareOf(trimmed(values[i]!)) : valueClasses[Number(place)],
      ),
  )
  const ours = values.map((value) => classOf(trimmed(value)))
  expect(
    values.flatMap((value, i) => (told[i] === ours[i] ? [] : [{ value, duckdb: told[i], ours: ours[i] }])),
  ).toEqual([])
})

it('writes Table Schemas that are valid by the published profile', async () => {
  const columns = editedColumns(
    (['text', 'integer', 'decimal', 'number', 'boolean', 'date', 'time', 'timestamp'] as const).map(
      (type) => ({
        name: `a ${type}`,
        type,
        required: type === 'text',
      }),
    ),
    { 'a number': { description: 'how much' } },
  )
  const { valid, errors } = (await validate(toTableSchema(columns, ['a integer', 'a text']))) as {
    valid: boolean
    errors: unknown[]
  }
  expect(errors).toEqual([])
  expect(valid).toBe(true)
})
