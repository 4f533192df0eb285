import fc from 'fast-check'
import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { arrivalState, arrivalStates, dueBySaying, habitOf, isOverdue, stateOfArrival, type ArrivalState, type ArrivedFile, type Expecting } from './arrival' // prettier-ignore
import { answered, answerWords, type ArrivalAnswer } from './answers'
import { nearestRow, proposedRow } from './nearest'

const file = (path: string, size = 10): ArrivedFile => ({ path, size, modified: '2026-11-27T04:00:00Z' })
const state = (more: Partial<Expecting>, now = 100) =>
  stateOfArrival(
    { files: [], loaded: () => undefined, covered: false, due: 50, missingAfter: 100, ...more },
    now,
  )

describe('what is said of a file that is expected', () => {
  it('before it is due it is expected, then late, then missing', () => {
    expect([0, 49, 50, 149, 150].map((now) => state({}, now))).toEqual(['expected', 'expected', 'late', 'late', 'missing']) // prettier-ignore
    // when nobody knows when it is due, it is never late
    expect(state({ due: undefined }, 1e9)).toBe('expected')
  })
  it('one that is there is here, empty, loaded, or came again with other content', () => {
    const files = [file('a.csv')]
    expect(state({ files })).toBe('here')
    expect(state({ files: [file('a.csv', 0)] })).toBe('empty')
    expect(state({ files, loaded: () => 'so' })).toBe('loaded')
    expect(state({ files, loaded: () => 'otherwise' })).toBe('again')
    // a second one beside one that was loaded
    expect(state({ files: [...files, file('a_corrected.csv')], loaded: ({ path }) => (path === 'a.csv' ? 'so' : undefined) })).toBe('again') // prettier-ignore
    expect(state({ files: [file('a.csv', 0), file('b.csv')] })).toBe('here')
    // one that was loaded and went into the archive
    expect(state({ covered: true })).toBe('loaded')
  })
  it('each state has a letter of its own', () => {
    expect(new Set(Object.values(arrivalStates)).size).toBe(Object.keys(arrivalStates).length)
    for (const [name, letter] of Object.entries(arrivalStates)) expect(arrivalState(letter)).toBe(name)
    expect(arrivalState('?')).toBe('unasked')
    expect((['late', 'missing'] as const).every(isOverdue)).toBe(true)
  })
})

describe('what somebody said about a file that did not come', () => {
  const said = (kind: ArrivalAnswer['kind'], more: Partial<ArrivalAnswer> = {}): ArrivalAnswer => ({ kind, from: '2026-11-02T00:00:00Z', until: null, file: null, replaces: null, why: 'w', by: 'b', at: '', ...more }) // prettier-ignore
  const now = Date.parse('2026-11-03T06:00:00Z')
  const of = (state: ArrivalState, answers: ArrivalAnswer[], from = '2026-11-02T00:00:00Z') => answered(state, answers, from, now).state // prettier-ignore
  it('is another file, whose state it has then, for its slice alone', () => {
    const instead = said('instead', { file: 'in/other.csv', replaces: 'in/own*.csv' })
    expect(answered('here', [instead], '2026-11-02T00:00:00Z', now)).toEqual({
      state: 'here',
      answer: instead,
    })
    expect(answered('missing', [instead], '2026-11-02T00:00:00Z', now)).toEqual({
      state: 'missing',
      answer: instead,
    })
    expect(answered('here', [instead], '2026-11-03T00:00:00Z', now)).toEqual({ state: 'here' })
  })
  it('has words of its own kind', () => {
    expect(answerWords(said('instead', { file: 'b.csv', replaces: 'a*.csv' }))).toBe('b.csv is taken in place of a*.csv')
    expect((['without', 'later', 'never'] as const).map((kind) => answerWords(said(kind)))).toEqual(['this slice goes without its file', 'its file is asked for again later', 'its file is not expected any more'])
  }) // prettier-ignore
  it('holds for its slice, or from its slice on, or until its time', () => {
    expect(of('missing', [said('without')])).toBe('without')
    expect(of('missing', [said('without')], '2026-11-03T00:00:00Z')).toBe('missing')
    expect(of('missing', [said('never')], '2026-11-03T00:00:00Z')).toBe('unasked')
    expect(of('missing', [said('never')], '2026-11-01T00:00:00Z')).toBe('missing')
    expect(of('late', [said('later', { until: '2026-11-03T07:00:00Z' })])).toBe('expected')
    expect(of('late', [said('later', { until: '2026-11-03T06:00:00Z' })])).toBe('late')
    // the same point in time written otherwise
    expect(of('missing', [said('without', { from: '2026-11-02T01:00:00+01:00' })])).toBe('without')
  })
  it('gives way to what came after all', () => {
    for (const state of ['here', 'loaded', 'again'] as const) expect(of(state, [said('never'), said('without')])).toBe(state) // prettier-ignore
  })
})

describe('when a file is due', () => {
  const due = (said: string, over = '2026-11-25T23:00:00Z') => {
    const at = dueBySaying(said, over, 'Europe/Oslo')
    return at === undefined ? undefined : new Date(at).toISOString().slice(0, 16)
  }
  it('is the next such time of the clock in the zone of the job, or so long after the slice', () => {
    expect(due('05:30')).toBe('2026-11-26T04:30')
    expect(due('05:30:00')).toBe('2026-11-26T04:30')
    expect(due('00:00')).toBe('2026-11-25T23:00')
    expect(due('PT6H')).toBe('2026-11-26T05:00')
    expect(due('P1DT30M')).toBe('2026-11-26T23:30')
    // a slice that is over at noon
    expect(due('05:30', '2026-11-25T11:00:00Z')).toBe('2026-11-26T04:30')
    for (const said of ['', 'soon', '25:00', 'P']) expect(due(said)).toBeUndefined()
  })
  it('goes by the clock on the wall where that is changed', () => {
    expect(due('05:30', '2026-03-28T23:00:00Z')).toBe('2026-03-29T03:30')
    expect(due('PT6H', '2026-03-28T23:00:00Z')).toBe('2026-03-29T05:00')
    // a time that the clock leaves out comes an hour later
    expect(due('02:30', '2026-03-28T23:00:00Z')).toBe('2026-03-29T01:30')
  })
})

describe('the habit of arrivals', () => {
  interface Reference {
    readonly cases: readonly { seconds: number[]; median: number; late: number }[]
  }
  const { cases } = JSON.parse(readFileSync(new URL('../../tests/references/habits.json', import.meta.url), 'utf8')) as Reference // prettier-ignore
  it('is the median and the quantile of nine in ten, as pandas has them (tests/references/habits.py)', () => {
    expect(cases).toHaveLength(30)
    for (const { seconds, median, late } of cases) {
      const habit = habitOf(seconds)!
      expect(habit.known).toBe(seconds.length)
      expect(habit.median).toBeCloseTo(median, 6)
      expect(habit.late).toBeCloseTo(late, 6)
    }
  })
  it('of a few nobody speaks', () => {
    expect(habitOf([1, 2, 3, 4])).toBeUndefined()
    expect(habitOf([])).toBeUndefined()
  })
})

describe('a file that no row expects', () => {
  const known = ['flow_corrie_20261126*.csv', 'flow_thornby_20261126*.csv', 'press_corrie_20261126*.csv'].map((name) => ({ row: name.split('_2')[0]!, name })) // prettier-ignore
  it('is held against the names that are most like it, dates left out', () => {
    expect(nearestRow('flow_corie_20260101.csv', known)?.row).toBe('flow_corrie')
    expect(nearestRow('prss_corrie_20261126.csv', known)?.row).toBe('press_corrie')
    expect(nearestRow('site-photo.png', known)).toBeUndefined()
    expect(nearestRow('x', [])).toBeUndefined()
  })
  const row = { feed: 'flow_corrie', district: 'corrie', prefix: 'flow', target: 'flow_reading', due: '05:30', active: true, meters: 3 } // prettier-ignore
  it('gives a row by which it would be expected: the one word that differs, wherever it stands', () => {
    expect(proposedRow('flow_newham_20261126.csv', 'flow_corrie_20261126*.csv', row)).toEqual({ ...row, feed: 'flow_newham', district: 'newham' }) // prettier-ignore
    expect(proposedRow('turb_corrie_20261126.csv', 'flow_corrie_20261126*.csv', row)).toMatchObject({ feed: 'turb_corrie', prefix: 'turb', target: 'turb_reading', district: 'corrie' }) // prettier-ignore
  })
  it('gives none where more differs, or the word stands nowhere in the row', () => {
    expect(proposedRow('turb_newham_20261126.csv', 'flow_corrie_20261126*.csv', row)).toBeUndefined()
    expect(proposedRow('Copy of flow_corrie_20261126.csv', 'flow_corrie_20261126*.csv', row)).toBeUndefined()
    expect(proposedRow('flow_corrie_1.txt', 'flow_corrie_1.csv', row)).toBeUndefined()
    expect(proposedRow("flow_o'x_1.csv", 'flow_$&_1.csv', { feed: 'a' })).toBeUndefined()
  })
  it('never throws, whatever it is called', () => {
    fc.assert(
      fc.property(fc.string(), fc.string(), fc.string(), (name, near, value) => {
        nearestRow(name, [{ row: 'r', name: near }])
        proposedRow(name, near, { value })
      }),
    )
  })
})
