import { describe, expect, it } from 'vitest'
import { changeWithin, sliceCalendar } from './calendar'
import type { SliceSpec } from './spec'

const spec = (more: Partial<SliceSpec> = {}): SliceSpec => ({ every: 'P1D', zone: 'Europe/Oslo', from: '2026-01-01', ...more }) // prettier-ignore
const labels = (list: readonly { label: string }[]) => list.map(({ label }) => label)

describe('slices around a time', () => {
  it('are those before and after it, each as it stands', () => {
    const { slices } = sliceCalendar(spec({ grace: 'PT6H' }), '2026-03-10T03:00:00Z', 2)
    expect(slices.map(({ label, stands }) => [label, stands])).toEqual([
      ['2026-03-08', 'closed'],
      ['2026-03-09', 'grace'],
      ['2026-03-10', 'open'],
      ['2026-03-11', 'coming'],
    ])
  })
  it('tell in which the clock is changed next: 23 and 25 hours (IANA: Europe/Oslo)', () => {
    const { changes } = sliceCalendar(spec(), '2026-03-10T03:00:00Z', 2)
    const hours = changes.map(({ label, change, from, to }) => [label, change, (Date.parse(to) - Date.parse(from)) / 3_600_000]) // prettier-ignore
    expect(hours).toEqual([['2026-03-29', 'forward', 23], ['2026-10-25', 'back', 25]]) // prettier-ignore
    expect(sliceCalendar(spec({ zone: 'UTC' }), '2026-03-10T03:00:00Z').changes).toEqual([])
    // a change of half an hour (IANA: Lord Howe Island)
    const half = sliceCalendar(spec({ zone: 'Australia/Lord_Howe' }), '2026-03-10T03:00:00Z').changes
    expect(half.map(({ from, to }) => (Date.parse(to) - Date.parse(from)) / 3_600_000)).toEqual([24.5, 23.5])
    expect(sliceCalendar(spec({ every: 'P1M' }), '2026-03-10T03:00:00Z').changes.map(({ label }) => label)).toEqual(['2026-03', '2026-10']) // prettier-ignore
  })
  it('are the first where the rule has not begun, the last where it is over, none where nothing lies near', () => {
    expect(labels(sliceCalendar(spec({ from: '2027-01-01' }), '2026-03-10T03:00:00Z', 3).slices)).toEqual(['2027-01-01', '2027-01-02', '2027-01-03']) // prettier-ignore
    expect(labels(sliceCalendar(spec({ until: '2026-02-01' }), '2026-03-10T03:00:00Z', 3).slices)).toEqual(['2026-01-29', '2026-01-30', '2026-01-31']) // prettier-ignore
    expect(sliceCalendar(spec({ from: '2026-01-01', until: '2026-01-01' }), '2026-03-10T03:00:00Z').slices).toEqual([]) // prettier-ignore
  })
  it.each(['PT15M', 'PT1H', 'PT6H', 'P1D', 'P7D', 'P1M', 'P3M', 'P1Y'])(
    'of %s: so many at most, without a gap',
    (every) => {
      const { slices } = sliceCalendar(spec({ every }), '2026-10-24T22:30:00Z', 14)
      expect(slices.length).toBeGreaterThan(0)
      expect(slices.length).toBeLessThanOrEqual(28)
      for (const [i, slice] of slices.entries()) if (i > 0) expect(slice.from).toBe(slices[i - 1]!.to)
    },
  )
  it('say nothing of a change that is undone within them', () => {
    expect(changeWithin({ from: '2026-01-01T00:00:00Z', to: '2027-01-01T00:00:00Z', label: '' }, 'Europe/Oslo')).toBeNull() // prettier-ignore
  })
})
