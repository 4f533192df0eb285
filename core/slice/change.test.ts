import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { sliceChange } from './change'
import { slicesBetween } from './slices'

const days = { every: 'P1D', zone: 'Europe/Oslo', from: '2026-01-01' }
const loaded = slicesBetween(days, '2026-10-20', '2026-11-20')
const now = '2026-11-21T12:00:00Z'
const change = (more: Partial<typeof days> & { offset?: string; until?: string }) =>
  sliceChange(loaded, { ...days, ...more }, now)

describe('what another rule makes of slices that were loaded', () => {
  it('the same rule leaves them; the day since then is new', () => {
    expect(change({})).toMatchObject({ loaded: 31, stay: 31, parted: 0, cut: 0, outside: 0, fresh: 1, example: null })
  })
  it('hours are whole parts of days, the doubled one included', () => {
    const { parted, cut, fresh } = change({ every: 'PT1H' })
    expect([parted, cut]).toEqual([31, 0])
    // 32 days of 24 hours, one of 25, and those of the day that goes on
    expect(fresh).toBe(32 * 24 + 1 + 13)
  })
  it('weeks and other zones cut across them', () => {
    expect(change({ every: 'P1W' })).toMatchObject({ stay: 0, cut: 31 })
    const { cut, example } = change({ zone: 'UTC' })
    expect(cut).toBe(31)
    expect(example).toEqual({
      loaded: { from: '2026-10-19T22:00:00.000Z', to: '2026-10-20T22:00:00.000Z' },
      meets: [
        { from: '2026-10-19T00:00:00.000Z', to: '2026-10-20T00:00:00.000Z' },
        { from: '2026-10-20T00:00:00.000Z', to: '2026-10-21T00:00:00.000Z' },
      ],
    })
    expect(change({ offset: 'PT6H' }).cut).toBe(31)
  })
  it('a later start, or an earlier end, leaves some outside', () => {
    expect(change({ from: '2026-11-01' })).toMatchObject({ stay: 19, outside: 12 })
    expect(change({ until: '2026-11-01' })).toMatchObject({ stay: 12, outside: 19, fresh: 0 })
  })
  it('too many are not counted, and none is lost in the counting', () => {
    expect(sliceChange(slicesBetween(days, '2026-01-01', '2026-11-20'), { ...days, every: 'PT1M' }, now).fresh).toBeNull()
    fc.assert(
      fc.property(fc.constantFrom('PT6H', 'P1D', 'P2D', 'P1W', 'P1M'), fc.constantFrom('Europe/Oslo', 'UTC', 'Australia/Lord_Howe'), fc.constantFrom('2025-12-31', '2026-01-01', '2026-11-03'), (every, zone, from) => {
        const { stay, parted, cut, outside } = sliceChange(loaded, { every, zone, from }, now)
        expect(stay + parted + cut + outside).toBe(31)
      }),
      { numRuns: 15 },
    )
  })
  it('nothing loaded, nothing lost', () => {
    expect(sliceChange([], days, now)).toMatchObject({ loaded: 0, stay: 0, cut: 0, fresh: 1 })
  })
}) // prettier-ignore
