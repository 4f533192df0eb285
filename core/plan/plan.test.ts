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
  it('takes a file in place of the one that a row and slice name, letter by letter, and says so', () => {
    const from = '2026-11-02T00:00:00Z'
    // a wildcard of a name is a letter of it
    const { loads, findings, parts } = plan({ instead: [{ row: 'a', from, replaces: 'flow_a_20261102.csv', file: 'by hand/a*[1].csv' }] })
    expect(loads.map(({ resolved }) => resolved[1])).toMatchObject([
      { text: 'flow_a_20261101.csv' }, { text: 'flow_b_20261101.csv' }, { text: 'by hand/a*[1].csv', pattern: 'by hand/a\\*[1].csv' }, { text: 'flow_b_20261102.csv' },
    ])
    expect(findings).toMatchObject([{ code: 'other-file', level: 'note', loads: [2], message: 'a · 2026-11-02: by hand/a*[1].csv is taken in place of flow_a_20261102.csv, as T. Holm said: sent by hand' }])
    expect(parts[0]!.varies[1]).toBe('both')
    // a name that the row no longer has is nobody's
    expect(plan({ instead: [{ row: 'a', from, replaces: 'flow_a.csv', file: 'x.csv' }] }).findings).toEqual([])
  }) // prettier-ignore
  it('takes it where all rows and slices name one file, too', () => {
    const { loads, parts } = plan({ files: 'all.csv', instead: [{ row: 'b', from: '2026-11-01T00:00:00Z', replaces: 'all.csv', file: 'b.csv' }] }) // prettier-ignore
    expect(loads.map(({ resolved }) => resolved[1]?.text)).toEqual(['all.csv', 'b.csv', 'all.csv', 'all.csv'])
    expect(parts[0]!.varies[1]).toBe('both')
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
