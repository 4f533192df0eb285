import { rangeTable } from './range'
import { typedTable } from './typed'
import { sourceId } from './gathered'
import type { RosterContext } from './context'
import { type RosterSource, rosterSchema } from '../job/rosters'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { celCompiler } from '../expression/cel'
import type { Row, Table } from '../value'
import { makeRoster, rosterOf } from './roster'

const context = {
  zone: 'UTC',
  compile: celCompiler('UTC'),
  bindings: { param: { region: 'all' } },
  known: { param: ['region'] },
}
const table: Table = {
  columns: [{ name: 'feed', type: 'text' }, { name: 'n', type: 'integer' }, { name: 'active', type: 'boolean' }],
  key: ['feed'],
  rows: [{ feed: 'b', n: 2, active: true }, { feed: 'a', n: 1, active: true }, { feed: 'c', n: null, active: false }],
} // prettier-ignore

describe('ranges', () => {
  // common practice, no source (product.md §14): 2015 to 2025 is 11 values; people expect 10
  it('includes both ends: 2015 to 2025 is 11 values', () => {
    const { rows } = rangeTable({ as: 'year', from: 2015, to: 2025, step: 1 })
    expect(rows).toHaveLength(11)
    expect([rows[0], rows.at(-1)]).toEqual([{ year: 2015 }, { year: 2025 }])
  })
  it('does not drift with steps that binary fractions cannot hold', () => {
    expect(rangeTable({ as: 'x', from: 0, to: 1, step: 0.1 }).rows.map(({ x }) => x)).toEqual([
      0, 0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9, 1,
    ])
  })
  it('goes down, over dates and months', () => {
    expect(rangeTable({ as: 'x', from: 3, to: 1, step: -1 }).rows).toHaveLength(3)
    expect(
      rangeTable({ as: 'd', from: '2026-02-27', to: '2026-03-01', step: 'P1D' }).rows.map(({ d }) => d),
    ).toEqual(['2026-02-27', '2026-02-28', '2026-03-01'])
    expect(
      rangeTable({ as: 'd', from: '2026-01-31', to: '2026-03-31', step: 'P1M' }).rows.map(({ d }) => d),
    ).toEqual(['2026-01-31', '2026-02-28', '2026-03-31'])
  })
  it('refuses what cannot end', () => {
    expect(() => rangeTable({ as: 'x', from: 1, to: 2, step: 0 })).toThrow(/step/)
    expect(() => rangeTable({ as: 'x', from: 'soon', to: 'later', step: 1 })).toThrow(/cannot read/)
  })
})

describe('rosters', () => {
  it('filters, sorts and keys without any cut-off', () => {
    const roster = makeRoster(
      { control: 't', where: 'row.active', sort: ['feed'], exactly_one: false },
      table,
      context,
    )
    expect(roster.rows.map(({ key }) => key)).toEqual(['a', 'b'])
    expect(roster.total).toBe(3)
  })
  it('sorts down, empty values last', () => {
    const keys = (sort: string[]) =>
      makeRoster({ control: 't', sort, exactly_one: false }, table, context).rows.map(({ key }) => key)
    expect(keys(['n'])).toEqual(['a', 'b', 'c'])
    expect(keys(['-feed'])).toEqual(['c', 'b', 'a'])
  })
  it('names the column that a filter mistypes', () => {
    expect(() =>
      makeRoster({ control: 't', where: 'row.actve', exactly_one: false }, table, context),
    ).toThrow(/did you mean row.active/)
    expect(() => makeRoster({ control: 't', where: 'row.n', exactly_one: false }, table, context)).toThrow(
      /not true or false/,
    )
  })
  it('types rows that are written into the document', () => {
    expect(
      typedTable([
        { a: null, b: 1 },
        { a: 'x', b: 2.5 },
      ]).columns,
    ).toEqual([
      { name: 'b', type: 'integer' },
      { name: 'a', type: 'text' },
    ])
  })
})

const read = (spec: object, given: Record<string, Table> = {}) => {
  const parsed = rosterSchema.parse(spec)
  const wanted: RosterSource[] = []
  const gathered = new Map(Object.entries(given).map(([id, found]) => [id, found] as const))
  const roster = rosterOf(parsed, context as unknown as RosterContext, gathered, (source) =>
    wanted.push(source),
  )
  return { roster, wanted }
}
const tableOf = (key: string, rows: Row[]): Table => ({ ...typedTable(rows), key: [key] })

describe('the kinds of rosters', () => {
  it.each([
    ['control', { control: 'feeds' }, { kind: 'control', name: 'feeds' }],
    ['query', { query: { on: 'wh', text: 'select {param.region}' } }, { kind: 'query', connection: 'wh', text: 'select $1', values: ['all'] }],
    ['file', { file: { store: 'drop', path: 'list_{param.region}.csv', delimiter: ';' } }, { kind: 'file', store: 'drop', pattern: 'list_all.csv' }],
    ['datasets', { datasets: { named: 'reg_*', tag: 'registry' } }, { kind: 'datasets', named: 'reg_*', connection: null, tag: 'registry' }],
    ['files', { files: { store: 'drop', named: '{param.region}_{district}_{date:yyyyMMdd}.csv' } }, { kind: 'files', store: 'drop', subfolders: false, pieces: ['all', '_', { part: 'district', format: undefined }, '_', { part: 'date', format: 'yyyyMMdd' }, '.csv'] }],
  ])('%s asks for its source, with its texts resolved', (_kind, spec, source) => {
    const { roster, wanted } = read(spec)
    expect(roster).toBeUndefined()
    expect(wanted).toEqual([expect.objectContaining(source)])
  }) // prettier-ignore
  it('range and typed rows need nothing read; the ends of a range may be expressions', () => {
    expect(read({ range: { as: 'n', from: 1, to: '{size(param.region)}' } }).roster!.rows).toHaveLength(3)
    expect(read({ rows: [{ a: 1 }, { a: 2 }] }).roster!.rows.map(({ key }) => key)).toEqual(['1', '2'])
  })
  it('a wildcard in a value is a letter of the name', () => {
    const { wanted } = read({ files: { store: 'drop', named: "{'a*b'}_{x}" } })
    expect(wanted[0]).toMatchObject({ pieces: ['a\\*b', '_', { part: 'x' }] })
  })
  it('refuses what is no roster, or two at once', () => {
    for (const spec of [{}, { control: 'a', rows: [] }])
      expect(rosterSchema.safeParse(spec).success).toBe(false)
  })
  it('says that slices are not known in a roster, and names a mistyped parameter', () => {
    expect(() => read({ query: { on: 'wh', text: 'select {slice.from}' } })).toThrow(
      /the same for all slices/,
    )
    expect(() => read({ query: { on: '{param.regoin}', text: 'select 1' } })).toThrow(
      /did you mean param.region/,
    )
    expect(() => read({ files: { store: 'drop', named: "{''}_{x}" } })).toThrow(/is empty/)
  })
})

describe('one roster inside another', () => {
  const outer = { rows: [{ store: 'a' }, { store: 'b' }] }
  const files = (store: string) =>
    sourceId({
      kind: 'files',
      store,
      pieces: [{ part: 'kind', format: undefined }, '.csv'],
      subfolders: false,
    })
  const inner = { files: { store: '{row.store}', named: '{kind}.csv' }, key: ['kind'] }
  it('asks for the inner sources once the outer rows are known, and joins rows and keys', () => {
    expect(read({ ...outer, inner }).wanted.map(sourceId)).toEqual([files('a'), files('b')])
    const { roster } = read(
      { ...outer, inner },
      {
        [files('a')]: tableOf('kind', [{ kind: 'flow' }, { kind: 'level' }]),
        [files('b')]: tableOf('kind', [{ kind: 'flow' }]),
      },
    )
    expect(roster!.rows).toEqual([
      { key: 'a · flow', row: { store: 'a', kind: 'flow' } },
      { key: 'a · level', row: { store: 'a', kind: 'level' } },
      { key: 'b · flow', row: { store: 'b', kind: 'flow' } },
    ])
    expect(roster!.key).toEqual(['store', 'kind'])
  })
  it('waits for all of them: no row is worked on while one is not read', () => {
    const { roster, wanted } = read(
      { ...outer, inner },
      { [files('a')]: tableOf('kind', [{ kind: 'flow' }]) },
    )
    expect(roster).toBeUndefined()
    expect(wanted.map(sourceId)).toEqual([files('b')])
  })
  it('filters inside by columns of both, and sorts within each outer row', () => {
    const { roster } = read({
      ...outer,
      inner: { range: { as: 'n', from: 1, to: 3 }, where: "row.store == 'a' || row.n > 2", sort: ['-n'] },
    })
    expect(roster!.rows.map(({ key }) => key)).toEqual(['a · 3', 'a · 2', 'a · 1', 'b · 3'])
    expect(roster!.total).toBe(6)
  })
  it('goes as deep as it is written, and its size is the product', () => {
    fc.assert(
      fc.property(fc.nat(5), fc.nat(5), fc.nat(5), (a, b, c) => {
        const range = (as: string, to: number) => ({ range: { as, from: 1, to } })
        const { roster } = read({ ...range('a', a), inner: { ...range('b', b), inner: range('c', c) } })
        expect(roster!.rows).toHaveLength(a * b * c)
        expect(new Set(roster!.rows.map(({ key }) => key)).size).toBe(a * b * c)
      }),
    )
  })
  it('asks for a prefix where both have a column of the same name', () => {
    expect(() => read({ ...outer, inner: { rows: [{ store: 'x' }] } })).toThrow(
      /both rosters have a column "store"/,
    )
    const { roster } = read({ ...outer, inner: { rows: [{ store: 'x' }], prefix: 'inner_' } })
    expect(roster!.rows[0]).toEqual({ key: 'a · x', row: { store: 'a', inner_store: 'x' } })
  })
  it('goes on where the rosters inside some rows cannot be made, and says for which', () => {
    const folders = {
      rows: [{ folder: 'x' }, { folder: null }, { folder: 'y' }, { folder: '' }],
      key: ['folder'],
    }
    const inner = { file: { store: 'drop', path: '{row.folder}/list.csv' }, prefix: 'i_' }
    const { roster: asked, wanted } = read({ ...folders, inner })
    // an empty folder is not the folder above
    expect(asked).toBeUndefined()
    expect(wanted).toHaveLength(2)
    const given = Object.fromEntries(
      wanted.map((source, i) => [
        sourceId(source),
        tableOf('n', i === 0 ? [{ n: 1 }, { n: 2 }] : [{ n: 3 }]),
      ]),
    )
    const { roster } = read({ ...folders, inner }, given)
    expect(roster!.rows.map(({ key }) => key)).toEqual(['x · 1', 'x · 2', 'y · 3'])
    expect(roster!.faults.map(({ outer, fault }) => [outer, fault.code, fault.message])).toEqual(
      ['2', '4'].map((outer) => [outer, 'empty-value', '{row.folder} is empty, and a path is built from it']),
    )
  })
  it('names the rows for which a filter cannot be worked out', () => {
    const rows = [
      { f: 'a', n: '1' },
      { f: 'b', n: '' },
      { f: 'c', n: 'x' },
      { f: 'd', n: '2' },
    ]
    expect(() => read({ rows, key: ['f'], where: 'int(row.n) > 1' })).toThrow(
      'the filter "int(row.n) > 1" fails for b, c: {int(row.n) > 1} cannot be worked out: an empty text is no whole number',
    )
    expect(() => read({ rows, key: ['f'], where: 'row.n' })).toThrow(
      /fails for a, b, c and 1 more: it gives 1/,
    )
  })
  it('tells for which outer row one row was meant and others were found', () => {
    const { roster } = read({
      ...outer,
      inner: {
        range: { as: 'n', from: 1, to: 2 },
        where: "row.store == 'a' || row.n == 1",
        exactly_one: true,
      },
    })
    expect(roster!.notOne).toEqual([{ outer: 'a', found: 2 }])
  })
})
