import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { slicesBetween } from '../slice/slices'
import { cellsOf, cellState, cellStates, isFilled, isGap, slicesToShow, spansBeside, type Covered, type RowHistory, type Span } from './cells' // prettier-ignore
import { stretches } from './stretches'
import { ticks } from './ticks'

/** Slices of ten, from 0 on. */
const tens = (n: number): Span[] =>
  Array.from({ length: n }, (_, at) => ({ from: at * 10, to: at * 10 + 10 }))
const done = (from: number, to: number, rows = 5, more: Partial<Covered> = {}): Covered => ({ from, to, state: 'done', loaded: true, rows, rejected: 0, ...more }) // prettier-ignore
const history = (more: Partial<RowHistory> = {}): RowHistory => ({ covered: [], underWay: [], since: 0, there: true, ...more }) // prettier-ignore
/** Slices of ten that the rule gives, with what a history has besides. */
const shown = (n: number, covered: readonly Covered[] = []) =>
  slicesToShow(tens(n), spansBeside(covered, tens(n)))
const letters = (row: RowHistory, { slices = shown(5), due = 50 as number | null } = {}) =>
  cellsOf(slices, row, due ?? undefined).letters

describe('what is said of a row, slice by slice', () => {
  it('what was loaded is there, what was not is missing, what no start has come for is expected', () => {
    const covered = [done(0, 10), done(10, 20), done(30, 40)]
    expect(letters(history({ covered }), { due: 40 })).toBe('LLMLP')
    expect(letters(history({ covered }), { due: null })).toBe('LLPLP')
  })
  it('nothing is missing before the first that ever was loaded; a new row is asked for from its next start on', () => {
    expect(letters(history({ covered: [done(20, 30)], since: 20 }))).toBe('BBLMM')
    expect(letters(history({ since: undefined }))).toBe('BBBBM')
    expect(letters(history({ since: undefined }), { due: 30 })).toBe('BBMPP')
  })
  it('a row that is gone is missed between what was loaded of it, and not after', () => {
    expect(letters(history({ covered: [done(0, 10), done(20, 30)], there: false }))).toBe('LMLNN')
  })
  it('a later failure does not take away what is there; skipping and stopping neither', () => {
    const of = (state: Covered['state'], loaded: boolean) => letters(history({ covered: [done(0, 10, 5, { state, loaded })] })).slice(0, 1)
    expect(['failed', 'skipped', 'stopped'].map((state) => of(state as Covered['state'], true)).join('')).toBe('ELL')
    expect(['failed', 'skipped', 'stopped'].map((state) => of(state as Covered['state'], false)).join('')).toBe('FSX')
  }) // prettier-ignore
  it('what goes on is shown over what was', () => {
    const underWay = [{ from: 0, to: 10, state: 'running' as const }, { from: 10, to: 20, state: 'waiting' as const }, { from: 20, to: 30, state: 'held' as const }] // prettier-ignore
    expect(letters(history({ covered: [done(0, 10)], underWay }))).toBe('RWHMM')
  })
  it('slices of an earlier rule are shown beside those of now, and what they fill is not missing', () => {
    const covered = [done(0, 5), done(5, 10), done(10, 30), done(30, 40)]
    const slices = shown(5, covered)
    expect(slices.map(({ from, to }) => [from, to])).toEqual([[0, 5], [0, 10], [5, 10], [10, 20], [10, 30], [20, 30], [30, 40], [40, 50]]) // prettier-ignore
    expect(letters(history({ covered }), { slices })).toBe('LNLNLNLM')
    // one that only half of was loaded is missing
    const half = [done(0, 5)]
    expect(letters(history({ covered: half }), { slices: shown(2, half) })).toBe('LMM')
  })
  it('rows, rejects and gaps are counted where they are', () => {
    const covered = [done(0, 10, 7, { rejected: 2 }), done(10, 20, 0, { state: 'failed', loaded: false }), done(20, 30, 3, { state: 'failed' })] // prettier-ignore
    expect(cellsOf(shown(4), history({ covered }), 40)).toEqual({ letters: 'LFEM', rows: [7, 0, 3, 0], rejected: [[0, 2]], gaps: 3 }) // prettier-ignore
  })
  it('each letter is a state of its own', () => {
    expect(new Set(Object.values(cellStates)).size).toBe(Object.keys(cellStates).length)
    for (const [state, letter] of Object.entries(cellStates)) expect(cellState(letter)).toBe(state)
    expect(cellState('?')).toBe('nothing')
    expect((['loaded', 'skipped', 'before', 'expected', 'nothing', 'running'] as const).some(isGap)).toBe(
      false,
    )
  })
  it('of any history every slice has one letter, and each that was loaded is shown as it', () => {
    const spans = fc.uniqueArray(fc.integer({ min: 0, max: 9 }), { maxLength: 10 })
    fc.assert(
      fc.property(spans, fc.boolean(), fc.option(fc.integer({ min: 0, max: 100 }), { nil: undefined }), (places, there, due) => {
        const covered = places.sort((a, b) => a - b).map((at) => done(at * 10, at * 10 + 10))
        const since = covered[0]?.from
        const { letters: said, gaps } = cellsOf(shown(10), history({ covered, since, there }), due)
        expect(said).toHaveLength(10)
        expect([...said].flatMap((letter, at) => (letter === 'L' ? [at] : []))).toEqual(places)
        expect([...said].filter((letter) => isGap(cellState(letter))).length).toBe(gaps)
        // nothing is missing that no start has come for
        ;[...said].forEach((letter, at) => letter === 'M' && expect(at * 10 + 10).toBeLessThanOrEqual(due!))
      }),
    )
  }) // prettier-ignore
})

describe('spans that fill another', () => {
  it('are those without a hole between them', () => {
    expect(isFilled({ from: 0, to: 30 }, [{ from: 10, to: 20 }, { from: 20, to: 40 }, { from: -5, to: 10 }])).toBe(true) // prettier-ignore
    expect(
      isFilled({ from: 0, to: 30 }, [
        { from: 0, to: 10 },
        { from: 11, to: 40 },
      ]),
    ).toBe(false)
    expect(isFilled({ from: 0, to: 30 }, [])).toBe(false)
  })
  it('a month is filled by all of its days (28 to 31 of them), whatever the clock does, and not by one fewer', () => {
    for (const [month, next, days] of [
      ['2026-02-01', '2026-03-01', 28],
      ['2028-02-01', '2028-03-01', 29],
      ['2026-03-01', '2026-04-01', 31],
      ['2026-10-01', '2026-11-01', 31],
      ['2026-11-01', '2026-12-01', 30],
    ] as const) {
      // prettier-ignore
      const zone = 'Europe/Oslo'
      const spans = (every: string) => slicesBetween({ every, zone, from: '2026-01-01' }, month, next).map(({ from, to }) => ({ from: Date.parse(from), to: Date.parse(to) })) // prettier-ignore
      const [whole] = spans('P1M')
      const parts = spans('P1D')
      expect(parts).toHaveLength(days)
      expect(isFilled(whole!, parts)).toBe(true)
      expect(
        parts.some((_, out) =>
          isFilled(
            whole!,
            parts.filter((_, at) => at !== out),
          ),
        ),
      ).toBe(false)
    }
  })
  it('agree with counting every point', () => {
    const span = fc.tuple(fc.integer({ min: 0, max: 30 }), fc.integer({ min: 1, max: 10 })).map(([from, length]) => ({ from, to: from + length })) // prettier-ignore
    fc.assert(
      fc.property(span, fc.array(span, { maxLength: 8 }), (whole, parts) => {
        const points = Array.from({ length: whole.to - whole.from }, (_, at) => whole.from + at)
        expect(isFilled(whole, parts)).toBe(points.every((at) => parts.some(({ from, to }) => from <= at && at < to))) // prettier-ignore
      }),
    )
  })
})

describe('slices that are picked', () => {
  it('become stretches where one ends as the next begins, row by row', () => {
    const pick = (row: string, from: number, to: number) => ({ row, from, to })
    expect(
      stretches([
        pick('b', 10, 20),
        pick('a', 20, 30),
        pick('b', 0, 10),
        pick('b', 40, 50),
        pick('a', 0, 10),
      ]),
    ).toEqual([
      // prettier-ignore
      pick('b', 0, 20),
      pick('b', 40, 50),
      pick('a', 0, 10),
      pick('a', 20, 30),
    ])
    expect(stretches([])).toEqual([])
  })
})

describe('marks of an axis of time', () => {
  const at = (from: string, until: string, most: number, zone = 'Europe/Oslo') => ticks(Date.parse(from), Date.parse(until), most, zone) // prettier-ignore
  it('stand at the hours, days, weeks from Monday (ISO 8601), months and years of a zone', () => {
    expect(at('2026-11-27T00:00:00Z', '2026-11-27T06:00:00Z', 8).map(({ label }) => label)).toEqual(['01:00', '02:00', '03:00', '04:00', '05:00', '06:00']) // prettier-ignore
    expect(at('2026-11-20T00:00:00Z', '2026-11-25T00:00:00Z', 6).map(({ label }) => label)).toEqual(['21 Nov', '22 Nov', '23 Nov', '24 Nov', '25 Nov']) // prettier-ignore
    expect(at('2026-11-01T00:00:00Z', '2026-11-27T00:00:00Z', 6).map(({ label }) => label)).toEqual(['2 Nov', '9 Nov', '16 Nov', '23 Nov']) // prettier-ignore
    expect(at('2026-01-15T00:00:00Z', '2026-07-15T00:00:00Z', 8).map(({ label }) => label)).toEqual(['Feb 2026', 'Mar 2026', 'Apr 2026', 'May 2026', 'Jun 2026', 'Jul 2026']) // prettier-ignore
    expect(at('2020-06-01T00:00:00Z', '2026-06-01T00:00:00Z', 8).map(({ label }) => label)).toEqual(['2021', '2022', '2023', '2024', '2025', '2026']) // prettier-ignore
  })
  it('are midnights where the clock changes between them', () => {
    expect(at('2026-10-23T00:00:00Z', '2026-10-27T00:00:00Z', 6).map((tick) => new Date(tick.at).toISOString().slice(5, 16))).toEqual(['10-23T22:00', '10-24T22:00', '10-25T23:00', '10-26T23:00']) // prettier-ignore
  })
  it('are never more than asked for, in order and within', () => {
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 4e12 }), fc.integer({ min: 3_600_000, max: 5e11 }), fc.integer({ min: 2, max: 20 }), (from, length, most) => {
        const found = ticks(from, from + length, most, 'Europe/Oslo')
        expect(found.length).toBeLessThanOrEqual(most + 2)
        found.forEach(({ at: time }, n) => {
          expect(time).toBeGreaterThanOrEqual(n === 0 ? from : found[n - 1]!.at + 1)
          expect(time).toBeLessThan(from + length)
        })
      }),
      { numRuns: 60 },
    ) // prettier-ignore
  })
})
