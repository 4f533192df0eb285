import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { differing } from './differing'
import { plan } from './planned.fixture'

describe('planning', () => {
  it('makes a load of every row and slice, slices first, with every text resolved', () => {
    const { loads, findings } = plan()
    expect(loads.map(({ key }) => key)).toEqual([
      'a · 2026-11-01',
      'b · 2026-11-01',
      'a · 2026-11-02',
      'b · 2026-11-02',
    ])
    expect(loads[3]!.resolved[1]).toMatchObject({ kind: 'path', text: 'flow_b_20261102.csv' })
    expect(findings).toEqual([])
  })
  it('keeps the loads for which the filter holds', () => {
    expect(
      plan({ only: `row.feed == 'b' && slice.label > '2026-11-01'` }).loads.map(({ key }) => key),
    ).toEqual(['b · 2026-11-02'])
  })
  it('says once what is the same, and shows only the columns that differ', () => {
    const { columns, same } = differing(plan(), 0)
    expect(columns.map(({ label }) => label)).toEqual(['feed', 'slice', 'file'])
    expect(same.map(({ label, text }) => `${label} ${text}`)).toEqual([
      'kind flow',
      'target flow',
      'active true',
      'store drop',
      'into wh',
      'target raw.flow',
    ])
  })
  it('is deterministic, and its loads are rows × slices', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 12 }), fc.integer({ min: 1, max: 9 }), (count, days) => {
        const rows = Array.from({ length: count }, (_, i) => ({
          feed: `f${i}`,
          kind: 'flow',
          target: 'flow',
          active: true,
        }))
        const ask = { rows, span: `2026-11-01/2026-11-${String(1 + days).padStart(2, '0')}` }
        expect(plan(ask).loads).toHaveLength(count * days)
        expect(plan(ask)).toEqual(plan(ask))
      }),
      { numRuns: 15 },
    )
  })
  it('forecasts by the history of like loads', () => {
    const history = new Map([
      ['', [20]],
      ['a', [20, 20, 20]],
      ['b', [20, 20, 20]],
    ])
    // four loads at the default of 4 at once
    expect(plan({ facts: { history } }).forecast).toMatchObject({ seconds: 20, known: 1, draws: 41 })
    expect(plan().forecast).toBeNull()
  })
})
