import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { dueBy } from './due'
import type { NightJob } from './foreseen'
import { rehearse } from './night'

const job = (name: string, more: Partial<NightJob> = {}): NightJob => ({
  job: name,
  parts: [{ loads: 1, atOnce: 1, waits: [], lengths: [10] }],
  atOnceRuns: 'beside',
  times: [],
  follows: [],
  writes: [],
  ...more,
})
const night = (jobs: NightJob[], workers = 4) =>
  rehearse({ from: 0, until: 1000, jobs, running: [], workers })
const spans = ({ runs }: ReturnType<typeof night>) => runs.map(({ job: name, at, begins, ends }) => [name, at, begins, ends]) // prettier-ignore

describe('a night, played through', () => {
  it('each start at its time; what follows a job, when that has ended', () => {
    const played = night([
      job('b', { follows: [{ start: 'then', jobs: ['a'], all: false }] }),
      job('a', { times: [{ start: 'clock', at: 100 }, { start: 'clock', at: 200 }] }),
    ])
    expect(spans(played)).toEqual([['a', 100, 100, 110], ['b', 110, 110, 120], ['a', 200, 200, 210], ['b', 210, 210, 220]])
    expect(played.runs[1]!.after).toEqual([0])
  })
  it('waits for all datasets since it last began, and for the last of them', () => {
    const played = night([
      job('a', { times: [{ start: 'c', at: 100 }, { start: 'c', at: 150 }], writes: ['w.a'] }),
      job('b', { times: [{ start: 'c', at: 300 }], writes: ['w.b'] }),
      job('report', { follows: [{ start: 'r', datasets: ['w.a', 'w.b'], all: true }] }),
    ])
    expect(spans(played).filter(([name]) => name === 'report')).toEqual([['report', 310, 310, 320]])
    expect(played.runs.find((run) => run.job === 'report')!.after.map((at) => played.runs[at]!.job)).toEqual(['a', 'b'])
  })
  it('a second run goes beside, waits or is left out, as the job says', () => {
    const twice = { times: [{ start: 'c', at: 100 }, { start: 'c', at: 105 }] }
    expect(spans(night([job('a', twice)])).map(([, , , ends]) => ends)).toEqual([110, 115])
    expect(spans(night([job('a', { ...twice, atOnceRuns: 'wait' })])).map(([, , , ends]) => ends)).toEqual([110, 120])
    expect(night([job('a', { ...twice, atOnceRuns: 'refuse' })]).runs.map(({ refused }) => refused)).toEqual([false, true])
  })
  it('loads that wait for slices of another job begin when those have been played, and are told after it', () => {
    const day = (n: number) => ({ from: n * 100, to: (n + 1) * 100 })
    const readings = job('readings', { times: [{ start: 's', at: 120, slice: day(0) }, { start: 's', at: 220, slice: day(1) }], writes: ['w.raw'] })
    const waiting = (waitsFor: { jobs: string[]; datasets: string[] }, slice = day(0)) =>
      job('zones', { parts: [{ loads: 1, atOnce: 1, waits: [], lengths: [7], waitsFor }], times: [{ start: 's', at: 105, slice }] })
    for (const waitsFor of [{ jobs: ['readings'], datasets: [] }, { jobs: [], datasets: ['w.raw'] }]) {
      const played = night([waiting(waitsFor), readings])
      expect(played.runs.find((run) => run.job === 'zones')).toMatchObject({ at: 105, begins: 130, ends: 137 })
      expect(played.runs.find((run) => run.job === 'zones')!.after.map((at) => played.runs[at]!.job)).toEqual(['readings'])
    }
    // a slice that covers both days waits for the later
    expect(night([waiting({ jobs: ['readings'], datasets: [] }, { from: 0, to: 200 }), readings]).runs.find((run) => run.job === 'zones')!.ends).toBe(237)
    // what was loaded before the night is there, and so is what nobody has heard of
    expect(night([waiting({ jobs: ['readings'], datasets: [] }, { from: -100, to: 0 }), readings]).runs.find((run) => run.job === 'zones')!.ends).toBe(112)
    expect(night([waiting({ jobs: ['gone'], datasets: ['w.gone'] })]).runs[0]!.ends).toBe(112)
    // what goes on since before is waited for
    const { runs } = rehearse({ from: 100, until: 1000, jobs: [waiting({ jobs: ['readings'], datasets: [] }), { ...readings, times: [] }], running: [{ job: 'readings', run: 3, began: 50, left: [4] }], workers: 4 })
    expect(runs.find((run) => run.job === 'zones')!.ends).toBe(147)
  })
  it('a run that is left out keeps nobody waiting', () => {
    const slice = { from: 0, to: 100 }
    const readings = job('readings', { atOnceRuns: 'refuse', times: [{ start: 's', at: 118, slice: { from: -100, to: 0 } }, { start: 's', at: 120, slice }] })
    const zones = job('zones', { parts: [{ loads: 1, atOnce: 1, waits: [], lengths: [7], waitsFor: { jobs: ['readings'], datasets: [] } }], times: [{ start: 's', at: 105, slice }] })
    const played = night([zones, readings])
    expect(played.runs.find((run) => run.refused)).toBeTruthy()
    expect(played.runs.find((run) => run.job === 'zones')!.ends).toBeLessThanOrEqual(135)
  })
  it('loads share the workers: what waits for a place is said', () => {
    const parts = [{ loads: 6, atOnce: 4, waits: [], lengths: [10] }, { loads: 1, atOnce: 1, waits: [0], lengths: [5] }]
    const played = night([job('a', { parts, times: [{ start: 'c', at: 0 }] })], 2)
    // six loads of 10 by two workers, and 5 after them
    expect(played.runs[0]!.ends).toBe(35)
    expect(played.busy).toEqual([{ at: 0, loads: 2 }, { at: 30, loads: 1 }, { at: 35, loads: 0 }])
    expect(played.crowded).toEqual([{ from: 0, until: 20, waiting: 2 }])
    expect(night([job('a', { parts, times: [{ start: 'c', at: 0 }] })], 4).runs[0]!.ends).toBe(25)
  })
  const day = { from: 0, to: 100 }
  const readings = job('readings', { times: [{ start: 'c', at: 300, slice: day }] })
  const zones = { job: 'zones', run: 4, began: 50, left: [5] }
  it('loads of a run that goes on wait for the slice that a later run takes, and the others do not', () => {
    const waits = [{ part: 0, loads: 2, words: 'day of readings', by: [{ job: 'readings', slice: day }] }]
    const played = rehearse({ from: 100, until: 1000, jobs: [readings, job('zones')], running: [{ ...zones, waits }], workers: 4 })
    // three of them one after the other, and two more when the readings are done
    expect(played.busy).toEqual([{ at: 100, loads: 1 }, { at: 130, loads: 0 }, { at: 300, loads: 1 }, { at: 330, loads: 0 }])
    expect(played.runs.find((run) => run.job === 'zones')).toMatchObject({ ends: 330 })
    expect(played.runs.every(({ stuck }) => stuck === undefined)).toBe(true)
  })
  it('what waits for what nothing brings is stuck, and so is what waits for it', () => {
    const waits = [{ part: 0, loads: 5, words: 'day of readings', by: [{ job: 'readings', slice: { from: 100, to: 200 } }] }]
    const month = job('month', { times: [{ start: 'c', at: 400 }], parts: [{ loads: 1, atOnce: 1, waits: [], lengths: [10], waitsFor: { jobs: ['zones'], datasets: [] } }] })
    const again = job('zones', { atOnceRuns: 'wait', times: [{ start: 'c', at: 500 }] })
    const { runs } = rehearse({ from: 100, until: 1000, jobs: [readings, again, month], running: [{ ...zones, waits }], workers: 4 })
    expect(runs.map(({ job: name, ends, stuck }) => [name, ends, stuck])).toEqual([
      ['zones', 1000, { words: 'day of readings' }],
      ['readings', 310, undefined],
      ['month', 1000, { job: 'zones' }],
      ['zones', 1000, { job: 'zones' }],
    ])
  })
  it('loads that wait as long as they may fail then: what follows them is not done, who waits for them waits on, who follows a failure begins', () => {
    const waits = [{ part: 0, loads: 2, words: 'its files', by: [], givesUp: 250 }]
    const parts = (anyway: boolean) => [{ loads: 5, atOnce: 1, waits: [], lengths: [10] }, { loads: 1, atOnce: 1, waits: [0], lengths: [100], anyway }]
    const after = (as: 'done' | 'failed' | 'ended') => job(as, { follows: [{ start: 's', jobs: ['zones'], all: false, as }] })
    const jobs = (anyway = false) => [job('zones', { parts: parts(anyway) }), after('done'), after('failed'), after('ended')]
    const play = (anyway?: boolean) => rehearse({ from: 100, until: 1000, jobs: jobs(anyway), running: [{ ...zones, left: [5, 1], waits }], workers: 4 })
    // three of five are there; the two others fail at 250, and the part behind them is left out
    expect(play().busy).toEqual([{ at: 100, loads: 1 }, { at: 130, loads: 0 }, { at: 250, loads: 2 }, { at: 260, loads: 0 }])
    expect(play().runs.map(({ job: name, at, ends, stuck, givesUp }) => [name, at, ends, stuck, givesUp])).toEqual([
      ['zones', 100, 250, { words: 'its files' }, 250],
      ['failed', 250, 260, undefined, undefined],
      ['ended', 250, 260, undefined, undefined],
    ])
    expect(play(true).runs[0]).toMatchObject({ ends: 350, givesUp: 250 })
  })
  it('so do those of a run to come, counted from when it is made; what comes in time lets them begin', () => {
    const of = (at: number, atMost: number) => {
      const waiting = job('zones', { parts: [{ loads: 3, atOnce: 3, waits: [], lengths: [7], waitsFor: { jobs: ['readings'], datasets: [] }, atMost }], times: [{ start: 's', at: 105, slice: day }] })
      const month = job('month', { parts: [{ loads: 1, atOnce: 1, waits: [], lengths: [7], waitsFor: { jobs: ['zones'], datasets: [] } }], times: [{ start: 's', at: 110, slice: day }] })
      return night([waiting, month, job('readings', { times: [{ start: 'c', at, slice: day }] })]).runs
    }
    const found = (runs: ReturnType<typeof of>) => runs.map(({ job: name, ends, stuck, givesUp }) => [name, ends, stuck, givesUp])
    expect(found(of(300, 100))).toEqual([
      ['zones', 205, { job: 'readings' }, 205],
      ['month', 1000, { job: 'zones' }, undefined],
      ['readings', 310, undefined, undefined],
    ])
    expect(found(of(190, 100))).toEqual([['zones', 207, undefined, undefined], ['month', 214, undefined, undefined], ['readings', 200, undefined, undefined]])
  })
  it('files are brought by nobody here; a dataset by each job that writes it', () => {
    const played = (by: readonly { job: string }[]) =>
      rehearse({ from: 100, until: 1000, jobs: [readings, job('zones')], running: [{ ...zones, waits: [{ part: 0, loads: 5, words: 'its files', by }] }], workers: 4 }).runs.find((run) => run.job === 'zones')
    expect(played([])).toMatchObject({ ends: 1000, stuck: { words: 'its files' } })
    expect([played([{ job: 'readings' }])!.ends, played([{ job: 'readings' }])!.stuck]).toEqual([360, undefined])
  })
  it('loads of all jobs share a connection that takes so many at once; what waits for it is said', () => {
    const parts = [{ loads: 4, atOnce: 4, waits: [], lengths: [10], uses: [['books']] }]
    const both = [job('a', { parts, times: [{ start: 'c', at: 0 }] }), job('b', { parts, times: [{ start: 'c', at: 0 }] })]
    const played = rehearse({ from: 0, until: 1000, jobs: both, running: [], workers: 8, caps: { books: 2, other: 1 } })
    // eight loads of 10, two at once; the workers were never full
    expect(Math.max(...played.runs.map(({ ends }) => ends))).toBe(40)
    expect(played.crowded).toEqual([])
    expect(played.capped).toEqual([{ connection: 'books', from: 0, until: 30, waiting: 6 }])
    expect(Math.max(...night(both, 8).runs.map(({ ends }) => ends))).toBe(10)
  })
  it('a load that uses a full connection keeps no load of another part from a place', () => {
    const parts = [
      { loads: 3, atOnce: 3, waits: [], lengths: [10], uses: [['books']] },
      { loads: 3, atOnce: 3, waits: [], lengths: [10], uses: [[]] },
    ]
    const played = rehearse({ from: 0, until: 1000, jobs: [job('a', { parts, times: [{ start: 'c', at: 0 }] })], running: [], workers: 4, caps: { books: 1 } })
    expect(played.busy).toEqual([{ at: 0, loads: 4 }, { at: 10, loads: 1 }, { at: 30, loads: 0 }])
    expect(played.runs[0]!.ends).toBe(30)
  })
  it('n like loads by m places at a connection take n / m rounds, whatever the workers (list scheduling, Graham 1969)', () => {
    fc.assert(fc.property(fc.integer({ min: 1, max: 40 }), fc.integer({ min: 1, max: 9 }), fc.integer({ min: 1, max: 9 }), (loads, cap, workers) => {
      const parts = [{ loads, atOnce: 50, waits: [], lengths: [7], uses: [['books']] }]
      const { runs } = rehearse({ from: 0, until: 1000, jobs: [job('a', { parts, times: [{ start: 'c', at: 0 }] })], running: [], workers, caps: { books: cap } })
      expect(runs[0]!.ends).toBe(7 * Math.ceil(loads / Math.min(cap, workers)))
    }))
  })
  it('goes on from what runs already', () => {
    const { runs } = rehearse({ from: 500, until: 1000, jobs: [job('a', { parts: [{ loads: 9, atOnce: 1, waits: [], lengths: [10] }] })], running: [{ job: 'a', run: 7, began: 400, left: [3] }], workers: 1 })
    expect(runs).toMatchObject([{ run: 7, at: 500, began: 400, ends: 530, start: null }])
  })
  it('a run that is left out lets go at once who waits for it', () => {
    const slice = { from: 0, to: 100 }
    const long = { loads: 1, atOnce: 1, waits: [], lengths: [500] }
    const readings = job('readings', { parts: [long], atOnceRuns: 'refuse', times: [{ start: 's', at: 10, slice: { from: -100, to: 0 } }, { start: 's', at: 120, slice }] })
    const zones = job('zones', { parts: [{ loads: 1, atOnce: 1, waits: [], lengths: [7], waitsFor: { jobs: ['readings'], datasets: [] } }], times: [{ start: 's', at: 105, slice }] })
    expect(night([zones, readings]).runs.find((run) => run.job === 'zones')).toMatchObject({ begins: 120, ends: 127 })
  })
  it('a run of before waits for what its own loads say, not for whoever else goes on', () => {
    const zones = job('zones', { parts: [{ loads: 1, atOnce: 1, waits: [], lengths: [7], waitsFor: { jobs: ['readings'], datasets: [] } }] })
    const running = [{ job: 'readings', run: 1, began: 0, left: [50] }, { job: 'zones', run: 2, began: 0, left: [1] }]
    expect(rehearse({ from: 0, until: 1000, jobs: [zones, job('readings')], running, workers: 4 }).runs.find((run) => run.job === 'zones')!.ends).toBe(7)
  })
  it('jobs of every minute that wait for each other are played to their ends, however many', () => {
    const minute = 60_000
    const chain = Array.from({ length: 20 }, (_, i) => job(`j${i}`, {
      parts: [{ loads: 1, atOnce: 1, waits: [], lengths: [100], waitsFor: { jobs: i === 0 ? [] : [`j${i - 1}`], datasets: [] } }],
      times: Array.from({ length: 1440 }, (_time, n) => ({ start: 's', at: n * minute, slice: { from: Math.floor(n / 5) * 5 * minute, to: (Math.floor(n / 5) + 1) * 5 * minute } })),
    }))
    const { runs } = rehearse({ from: -1, until: 1440 * minute, jobs: chain, running: [], workers: 1000 })
    expect(runs).toHaveLength(20 * 1440)
    expect(runs.some(({ stuck }) => stuck)).toBe(false)
    // of the last of the chain: each waits for the five runs of its slice of the one before
    const last = runs.filter((run) => run.job === 'j19' && run.at === 7 * minute)
    expect(last.map(({ ends }) => ends)).toEqual([9 * minute + 20 * 100])
  })
  it('jobs that start each other do not keep it for ever', () => {
    const follow = (name: string) => [{ start: 'f', jobs: [name], all: false }]
    const { runs } = night([job('a', { times: [{ start: 'c', at: 0 }], follows: follow('b') }), job('b', { follows: follow('a') })])
    expect(runs.length).toBeLessThan(120)
  })
  it('ends no later than Graham’s bound for list scheduling, and no earlier than the work allows', () => {
    const lengths = [3, 5, 8, 13, 21]
    const { runs } = night([job('a', { parts: [{ loads: 50, atOnce: 50, waits: [], lengths }], times: [{ start: 'c', at: 0 }] })], 4)
    const { low, high } = runs[0]!
    expect(low).toBeGreaterThanOrEqual((50 * 3) / 4)
    expect(high).toBeLessThanOrEqual((50 * 21) / 4 + 21)
  })
}) // prettier-ignore

describe('by when a run is due', () => {
  const at = (iso: string) => Date.parse(iso)
  it.each([
    ['08:00', '2026-11-25T05:30+01:00', '2026-11-25T08:00+01:00'],
    ['08:00', '2026-11-25T08:00+01:00', '2026-11-26T08:00+01:00'],
    ['PT2H', '2026-11-25T05:30+01:00', '2026-11-25T07:30+01:00'],
    // the night of the change: eight o'clock is what the clock shows
    ['08:00', '2026-03-28T23:30+01:00', '2026-03-29T08:00+02:00'],
    // a time that was worked out is no whole number of milliseconds
    ['PT1M', '2026-11-25T05:30+01:00', '2026-11-25T05:31+01:00'],
  ])('%s after %s is %s', (due, began, expected) => {
    expect(dueBy(due, at(began) + 0.25, 'Europe/Oslo')).toBe(at(expected))
  })
})
