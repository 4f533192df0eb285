import { describe, expect, it } from 'vitest'
import { runsFor, wasBefore, type ArrivedItem } from './arrived'

const day = (n: number) => ({
  from: `2026-11-0${n}T00:00:00Z`,
  to: `2026-11-0${n + 1}T00:00:00Z`,
  label: `2026-11-0${n}`,
})
const now = Date.parse('2026-11-03T06:00:00Z')
const minute = 60_000
const item = (row: string, more: Partial<ArrivedItem> = {}): ArrivedItem => ({
  part: 'bring', row, slice: day(2), state: 'here', names: [`${row}.csv`], whole: true, since: now - minute, old: false, taken: false, ...more,
}) // prettier-ignore
const none = new Set<string>()

describe('a start that waits for all files of a slice', () => {
  const start = { wait_for: 'all' as const }
  it('begins once, for the whole slice, when the last of them is there', () => {
    expect(runsFor(start, [item('a'), item('b', { state: 'expected', names: [] })], none, now)).toEqual([])
    expect(runsFor(start, [item('a'), item('b', { whole: false })], none, now)).toEqual([])
    const [run] = runsFor(start, [item('a'), item('b')], none, now)
    expect(run).toMatchObject({ key: `all ${day(2).from}`, slices: { from: day(2).from, to: day(2).to }, cause: 'all 2 that are expected for 2026-11-02 came' }) // prettier-ignore
    expect(run!.picks).toBeUndefined()
    expect(runsFor(start, [item('a'), item('b')], new Set([day(2).from]), now)).toEqual([])
  })
  it('counts what is loaded or empty as there, and begins for nothing that came before it was asked for', () => {
    expect(runsFor(start, [item('a'), item('b', { state: 'loaded' }), item('c', { state: 'empty' }), item('d', { state: 'without' })], none, now)).toHaveLength(1) // prettier-ignore
    expect(
      runsFor(start, [item('a', { state: 'loaded' }), item('b', { state: 'loaded' })], none, now),
    ).toEqual([])
    expect(runsFor(start, [item('a', { old: true }), item('b', { old: true })], none, now)).toEqual([])
    // the last of them came since
    expect(runsFor(start, [item('a', { old: true }), item('b')], none, now)).toHaveLength(1)
  })
  it('begins with what is there at the latest, and says how many did not come', () => {
    const late = { ...start, latest: 'PT6H' }
    const items = [item('a'), item('b', { state: 'missing', names: [] })]
    expect(runsFor(late, items, none, now - 1)).toEqual([])
    expect(runsFor(late, items, none, now)).toMatchObject([
      { cause: '1 of 2 for 2026-11-02 did not come in time' },
    ])
    // with nothing there, there is nothing to begin with
    expect(runsFor(late, [item('b', { state: 'missing', names: [] })], none, now)).toEqual([])
  })
  it('keeps slices apart', () => {
    const items = [
      item('a', { slice: day(1) }),
      item('b', { slice: day(1) }),
      item('a'),
      item('b', { state: 'late' }),
    ]
    expect(runsFor(start, items, none, now).map(({ key }) => key)).toEqual([`all ${day(1).from}`])
  })
})

describe('a start for each file as it comes', () => {
  const start = { wait_for: 'each' as const }
  it('takes what came and nothing else: rows and slices by name', () => {
    const [run, ...more] = runsFor(start, [item("o'b"), item('b', { slice: day(1) }), item('c', { state: 'late', names: [] }), item('d', { whole: false })], none, now) // prettier-ignore
    expect(more).toEqual([])
    expect(run!.picks).toEqual([
      { part: 'bring', row: "o'b", from: day(2).from, to: day(2).to },
      { part: 'bring', row: 'b', from: day(1).from, to: day(1).to },
    ])
    expect(run).toMatchObject({ cause: "o'b.csv, b.csv came", slices: { from: day(1).from, to: day(2).to } })
  })
  it('takes no file twice, but one that came again with other content', () => {
    expect(runsFor(start, [item('a', { taken: true }), item('b', { old: true }), item('c', { state: 'loaded' })], none, now)).toEqual([]) // prettier-ignore
    const first = runsFor(start, [item('a')], none, now)
    const again = runsFor(start, [item('a', { state: 'again', since: now })], none, now)
    expect(again).toHaveLength(1)
    expect(again[0]!.key).not.toBe(first[0]!.key)
  })
  it('names the first and counts the others', () => {
    const [run] = runsFor(start, ['a', 'b', 'c', 'd', 'e'].map((row) => item(row)), none, now) // prettier-ignore
    expect(run!.cause).toBe('a.csv, b.csv, c.csv and 2 more came')
  })
})

describe('a start after a quiet time', () => {
  const start = { wait_for: 'quiet' as const, quiet: 'PT2M' }
  it('begins when nothing more came for so long', () => {
    const items = [item('a', { since: now - 10 * minute }), item('b', { since: now - minute })]
    expect(runsFor(start, items, none, now)).toEqual([])
    expect(runsFor(start, items, none, now + minute)).toMatchObject([{ picks: [{ row: 'a' }, { row: 'b' }] }])
  })
  it('waits while one still grows', () => {
    expect(runsFor(start, [item('a', { since: now - 10 * minute }), item('b', { whole: false })], none, now)).toEqual([]) // prettier-ignore
  })
})

describe('a file', () => {
  it.each([
    ['long before', -60_000.5, true],
    ['a tick before: its time lags behind the clock', -9.3, false],
    ['after', 5.1, false],
    ['in the same second, where times have whole ones', -750, false],
    ['in the second before, where times have even ones', -1_750, false],
    ['three seconds before, where times have whole ones', -2_750, true],
  ])('that came %s', (_what, ago, before) => {
    const moment = 1_790_000_000_750
    expect(wasBefore(moment + ago, moment)).toBe(before)
  })
})
