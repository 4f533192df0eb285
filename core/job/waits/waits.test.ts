import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { isFilled } from '../../coverage/cells'
import { sliceBefore, slicesBetween, slicesInSpan, slicesMeeting } from '../../slice/slices'
import type { SliceSpec } from '../../slice/spec'
import { needsOf, waitFault, waitJobs, waitSchema, waitText, waitsPerRow, type WaitContext } from '.'

const zone = 'Europe/Oslo'
const cut = (every: string, more: Partial<SliceSpec> = {}): SliceSpec => ({ every, zone, from: '2024-01-01', ...more }) // prettier-ignore
const specs: Record<string, SliceSpec> = { days: cut('P1D'), months: cut('P1M'), weeks: cut('P1W'), hours: cut('PT1H') } // prettier-ignore
const context: WaitContext = { job: 'own', slicesOf: (job) => ({ ...specs, own: cut('P1D') })[job], partOf: (job, step) => (job === 'days' && step === 'proof' ? 1 : undefined), writersOf: (dataset) => (dataset === 'wh.raw.flow' ? ['days'] : []) } // prettier-ignore
const wait = (given: unknown) => waitSchema.parse(given)
const needs = (given: unknown, slice: { from: string; to: string; label: string }, row = 'a') => needsOf([wait(given)], { row, slice }, context) // prettier-ignore
const slice = (spec: SliceSpec, span: string) => slicesInSpan(spec, span)[0]!
const labels = (given: unknown, of: ReturnType<typeof slice>) => needs(given, of).map((need) => (need.kind === 'slice' ? need.label : '')) // prettier-ignore

describe('what a load waits for', () => {
  it('a month waits for all its days, 28 to 31 of them, also those with a clock change', () => {
    const days = { job: { name: 'days' } }
    for (const [month, count] of [
      ['2026-02', 28],
      ['2028-02', 29],
      ['2026-03', 31],
      ['2026-04', 30],
      ['2026-10', 31],
    ] as const) {
      // prettier-ignore
      const of = labels(days, slice(specs.months!, month))
      expect(of).toHaveLength(count)
      expect([of[0], of.at(-1)]).toEqual([`${month}-01`, `${month}-${count}`])
    }
    // a day waits for the month that covers it, and for its hours: 23, 24 or 25
    expect(labels({ job: { name: 'months' } }, slice(specs.days!, '2026-02-10'))).toEqual(['2026-02'])
    for (const [day, hours] of [['2026-03-29', 23], ['2026-10-25', 25], ['2026-11-25', 24]] as const) expect(labels({ job: { name: 'hours' } }, slice(specs.days!, day))).toHaveLength(hours) // prettier-ignore
  })
  it('a month waits for the weeks that lie across its ends, too; a year with a week 53 (ISO 8601) has it', () => {
    expect(labels({ job: { name: 'weeks' } }, slice(specs.months!, '2026-11'))).toEqual(['2026-10-26', '2026-11-02', '2026-11-09', '2026-11-16', '2026-11-23', '2026-11-30']) // prettier-ignore
    // 2026 begins on a Thursday: its 53rd week begins on 28 December
    expect(slicesMeeting(specs.weeks!, '2026-12-28', '2026-12-29').map(({ label }) => label)).toEqual(['2026-12-28']) // prettier-ignore
  })
  it('says what it needs: of all rows or its own, a dataset by who writes it or by a refresh, its own slice before, files', () => {
    const day = slice(specs.days!, '2026-11-25')
    const from = { from: '2026-11-24T23:00:00Z', to: '2026-11-25T23:00:00Z', label: '2026-11-25' }
    expect(needs({ job: { name: 'days' } }, day)).toEqual([
      { kind: 'slice', job: 'days', row: null, ...from },
    ])
    expect(needs({ job: { name: 'days', rows: 'same' } }, day, "o'hare")).toEqual([{ kind: 'slice', job: 'days', row: "o'hare", ...from }]) // prettier-ignore
    expect(needs({ dataset: { of: 'wh.raw.flow' } }, day)).toEqual([{ kind: 'slice', job: 'days', row: null, ...from }]) // prettier-ignore
    expect(needs({ dataset: { of: 'wh.raw.level' } }, day)).toEqual([{ kind: 'refresh', dataset: 'wh.raw.level', since: from.to }]) // prettier-ignore
    expect(needs({ previous: {} }, day)).toMatchObject([
      { kind: 'slice', job: 'own', row: 'a', label: '2026-11-24' },
    ])
    expect(needs({ previous: {} }, slice(specs.days!, '2024-01-01'))).toEqual([])
    expect(needs({ files: { marker: '.done' } }, day)).toEqual([{ kind: 'files', marker: '.done' }])
    expect(needs({ job: { name: 'nobody' } }, day)).toEqual([])
    expect(needs({ check: { of: 'days', step: 'proof' } }, day)).toEqual([{ kind: 'check', job: 'days', part: 1, step: 'proof', ...from }]) // prettier-ignore
    // a step that is not there is waited for, and found by nobody
    expect(needs({ check: { of: 'days', step: 'no-such' } }, day)).toMatchObject([
      { kind: 'check', part: -1 },
    ])
    // two that are the same are one
    expect(needsOf([wait({ job: { name: 'days' } }), wait({ dataset: { of: 'wh.raw.flow' } })], { row: 'a', slice: day }, context)).toHaveLength(1) // prettier-ignore
  })
  it('is said in words, and what cannot be is refused', () => {
    expect([{ job: { name: 'days' } }, { job: { name: 'days', rows: 'same' } }, { previous: {} }, { dataset: { of: 'wh.raw.flow' } }, { files: {} }, { files: { marker: '.ok' } }].map((one) => waitText(wait(one)))).toEqual([
      'the slices of days that meet its own', 'the slices of days that meet its own, row by row', 'its own slice before',
      'the slices of wh.raw.flow that meet its own', 'the files that it reads', 'the files that it reads, each with its .ok',
    ]) // prettier-ignore
    expect(waitFault(wait({ job: { name: 'own' } }), 'own')).toMatchObject({ path: 'job.name' })
    expect(waitFault(wait({ job: { name: 'days' } }), 'own')).toBeUndefined()
    expect([{}, { previous: {}, files: {} }, { job: {} }, { files: { marker: '../x' } }, { dataset: { of: 'flow' } }].map((one) => waitSchema.safeParse(one).success)).toEqual([false, false, false, false, false]) // prettier-ignore
    expect(waitJobs(wait({ job: { name: 'days' } }))).toEqual(['days'])
    expect([{ job: { name: 'days' } }, { job: { name: 'days', rows: 'same' } }, { previous: {} }].map((one) => waitsPerRow(wait(one)))).toEqual([false, true, true]) // prettier-ignore
  })
})

const anySpec = fc.record({
  every: fc.constantFrom('PT1H', 'PT6H', 'P1D', 'P1W', 'P1M', 'PT90M'),
  zone: fc.constantFrom('UTC', 'Europe/Oslo', 'America/St_Johns', 'Pacific/Apia', 'Australia/Lord_Howe'),
  from: fc.constantFrom('2011-11-01', '2011-12-15'),
}) // prettier-ignore

/** All slices of a rule in a span, cut once: a rule of hours has thousands. */
const known = new Map<string, ReturnType<typeof slicesBetween>>()
function allOf(spec: SliceSpec, from: string, to: string) {
  const key = JSON.stringify([spec, from, to])
  const all = known.get(key) ?? slicesBetween(spec, from, to)
  known.set(key, all)
  return all
}

describe('slices that meet a span', () => {
  it('are those of all that have a part of it, and where the rule has begun they fill it', () => {
    fc.assert(
      fc.property(anySpec, fc.integer({ min: 0, max: 90 * 24 }), fc.integer({ min: 1, max: 40 * 24 }), (spec, at, hours) => {
        const from = new Date(Date.parse('2011-12-20') + at * 3_600_000)
        const to = new Date(from.getTime() + hours * 3_600_000)
        const meeting = slicesMeeting(spec, from.toISOString(), to.toISOString())
        const all = allOf(spec, '2011-11-01', '2012-07-01')
        const wanted = all.filter((one) => Date.parse(one.from) < to.getTime() && Date.parse(one.to) > from.getTime())
        expect(meeting).toEqual(wanted)
        const spans = meeting.map((one) => ({ from: Date.parse(one.from), to: Date.parse(one.to) }))
        expect(isFilled({ from: from.getTime(), to: to.getTime() }, spans)).toBe(true)
      }),
      { numRuns: 300 },
    )
  }) // prettier-ignore
  it('are refused where there are too many to be counted one by one', () => {
    expect(() => slicesMeeting(cut('PT1M'), '2026-01-01', '2026-12-31')).toThrow(/more than 20,000 slices/)
    expect(() => slicesMeeting(cut('P1D'), '2026-01-01', '9999-12-31', 100)).toThrow(/more than 100/)
  })
  it('none where the rule has not begun, or is over', () => {
    const spec = cut('P1D', { from: '2026-11-10', until: '2026-11-12' })
    expect(slicesMeeting(spec, '2026-11-01', '2026-11-10')).toEqual([])
    expect(slicesMeeting(spec, '2026-11-12', '2026-11-20')).toEqual([])
    expect(slicesMeeting(spec, '2026-11-01', '2026-11-20').map(({ label }) => label)).toEqual(['2026-11-10', '2026-11-11']) // prettier-ignore
  })
  it('the one before is the one that ends where a slice begins', () => {
    fc.assert(
      fc.property(anySpec, fc.integer({ min: 3, max: 60 }), (spec, n) => {
        const all = allOf(spec, '2011-12-20', '2012-09-01')
        const at = Math.min(n, all.length - 1)
        expect(sliceBefore(spec, all[at]!.from)).toEqual(all[at - 1])
      }),
    )
  })
})
