import { describe, expect, it } from 'vitest'
import { celCompiler } from '../expression/cel'
import type { Table } from '../value'
import { makeRoster, rangeTable, typedTable } from './roster'

const context = {
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
