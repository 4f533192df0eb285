import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { missedWays } from '../job/starts'
import type { Slice } from '../slice/slices'
import { decide } from './decide'
import { slicesToTake } from './takes'
import { lengthWords } from './words'

const minute = 60_000
const reason = () => 'nobody was there'
const slice = (n: number): Slice => ({ from: `day ${n}`, to: `day ${n + 1}`, label: `${n}` })

describe('what is decided about times that came', () => {
  it('in time each begins', () => {
    expect(decide({ times: [{ at: 0 }, { at: 10 }], now: 20, missed: 'once', reason })).toEqual([
      { at: 0, does: 'start' },
      { at: 10, does: 'start' },
    ])
  })
  it('one run makes up for those that went by, at the one in time where there is one', () => {
    const times = [{ at: 0, slice: slice(1) }, { at: 10, slice: slice(2) }, { at: 5 * minute, slice: slice(3) }]
    const decided = decide({ times, now: 5 * minute, missed: 'once', reason })
    expect(decided.map(({ does, slices }) => [does, slices])).toEqual([
      ['skip', undefined],
      ['skip', undefined],
      ['start', { from: 'day 1', to: 'day 4' }],
    ])
  })
  it('whatever happens, each time is decided once and in order, and no slice is lost unless the start says so', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 10 * minute }), { maxLength: 12 }),
        fc.integer({ min: 0, max: 20 * minute }),
        fc.constantFrom(...missedWays),
        (gaps, behind, missed) => {
          let at = 0
          const times = gaps.map((gap, n) => ({ at: (at += gap), slice: slice(n) }))
          const decided = decide({ times, now: at + behind, missed, reason })
          expect(decided.map((one) => one.at)).toEqual(times.map((one) => one.at))
          const taken = decided.flatMap(({ does, slices }) => {
            if (does === 'skip' || !slices) return []
            const first = times.findIndex((time) => time.slice.from === slices.from)
            const last = times.findIndex((time) => time.slice.to === slices.to)
            return times.slice(first, last + 1).map((time) => time.slice.label)
          })
          expect(new Set(taken).size).toBe(taken.length)
          if (missed !== 'skip') expect(taken).toEqual(times.map((time) => time.slice.label))
          // what begins late, and what is left out, says why
          for (const { does, why } of decided) if (does === 'skip') expect(why).toContain('nobody was there')
        },
      ),
    )
  })
  it('a year of minutes that went by is one run', () => {
    const times = Array.from({ length: 525_600 }, (_, n) => ({ at: n * minute }))
    const decided = decide({ times, now: 525_600 * minute, missed: 'once', reason })
    expect(decided.filter(({ does }) => does === 'start')).toHaveLength(1)
  })
  it('lengths are said as people say them', () => {
    expect([4_000, 60_000, 3_600_000, 7_500_000, 90_000_000, 172_800_000].map(lengthWords)).toEqual(['4 s', '1 min', '1 h', '2 h 5 min', '1 d 1 h', '2 d'])
  })
}) // prettier-ignore

describe('the slices that a start takes', () => {
  const spec = { every: 'P1D', zone: 'Europe/Oslo', from: '2026-01-01' }
  const at = Date.parse('2026-11-25T06:00:00Z')
  const labels = (takes: 'new' | 'newest' | 'either', taken?: string, more = {}) =>
    slicesToTake({ ...spec, ...more }, takes, at, taken).map(({ label }) => label)
  it('the newest at first, then each since, and the same again where it says so', () => {
    expect(labels('new')).toEqual(['2026-11-24'])
    expect(labels('new', '2026-11-21T23:00:00Z')).toEqual(['2026-11-22', '2026-11-23', '2026-11-24'])
    expect(labels('new', '2026-11-24T23:00:00Z')).toEqual([])
    expect(labels('newest', '2026-11-24T23:00:00Z')).toEqual(['2026-11-24'])
    expect(labels('either', '2026-11-24T23:00:00Z')).toEqual(['2026-11-24'])
    expect(labels('either', '2026-11-22T23:00:00Z')).toEqual(['2026-11-23', '2026-11-24'])
  })
  it('and before them those that are restated', () => {
    expect(labels('new', '2026-11-23T23:00:00Z', { restate: 'P3D' })).toEqual(['2026-11-22', '2026-11-23', '2026-11-24'])
    expect(labels('new', '2026-11-19T23:00:00Z', { restate: 'P2D' })).toHaveLength(5)
  })
  it('nothing where none is over', () => {
    expect(labels('new', undefined, { from: '2027-01-01' })).toEqual([])
  })
}) // prettier-ignore
