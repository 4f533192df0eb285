import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { againSchema, againWords, pauseSpanAt, pauseSpans, type PauseTimes } from './pause'

const at = (text: string) => Date.parse(text)
const text = (time: number) => (time === Infinity ? '-' : new Date(time).toISOString().slice(0, 16))
const told = (pause: PauseTimes, after: string, until: string, limit?: number) =>
  pauseSpans(pause, at(after), at(until), limit).map((span) => `${text(span.from)} ${text(span.until)}`)
const ever = { from: at('2026-01-01T00:00:00Z'), until: Infinity }
const oslo = (cron: string, lasts: string) => ({ ...ever, again: { cron, zone: 'Europe/Oslo', lasts } })

describe('a pause', () => {
  it('is one span, which may have no end', () => {
    const once = { from: at('2026-03-01T10:00:00Z'), until: Infinity }
    expect(told(once, '2026-01-01T00:00:00Z', '2026-02-01T00:00:00Z')).toEqual([])
    expect(told(once, '2026-01-01T00:00:00Z', '2026-04-01T00:00:00Z')).toEqual(['2026-03-01T10:00 -'])
    expect(pauseSpanAt(once, at('2026-03-01T09:59:59Z'))).toBeUndefined()
    expect(pauseSpanAt(once, at('2040-01-01T00:00:00Z'))).toEqual(once)
    // it goes on at its first moment, and no longer at its end
    const ended = { ...once, until: at('2026-03-01T11:00:00Z') }
    expect(pauseSpanAt(ended, once.from)).toEqual(ended)
    expect(pauseSpanAt(ended, ended.until)).toBeUndefined()
  })
  // Clocks: Europe/Oslo went to summer time on 2026-03-29 at 02:00, and back on 2026-10-25 at 03:00 (IANA).
  // Lengths: a day is as long as that day is, an hour is an hour (RFC 5545, 3.3.6).
  it('comes again by the clock of its zone; its hours are hours, its days those of the calendar', () => {
    expect(told(oslo('0 1 * * sun', 'PT4H'), '2026-03-20T00:00:00Z', '2026-04-06T00:00:00Z')).toEqual([
      '2026-03-22T00:00 2026-03-22T04:00',
      '2026-03-29T00:00 2026-03-29T04:00',
      '2026-04-04T23:00 2026-04-05T03:00',
    ])
    expect(told(oslo('0 0 * * sun', 'P1D'), '2026-03-28T12:00:00Z', '2026-03-30T00:00:00Z')).toEqual(['2026-03-28T23:00 2026-03-29T22:00'])
    expect(told(oslo('0 0 * * sun', 'P1D'), '2026-10-24T12:00:00Z', '2026-10-26T00:00:00Z')).toEqual(['2026-10-24T22:00 2026-10-25T23:00'])
    expect(told(oslo('0 0 * * sun', 'PT24H'), '2026-10-24T12:00:00Z', '2026-10-26T00:00:00Z')).toEqual(['2026-10-24T22:00 2026-10-25T22:00'])
  })
  it('is found in the middle of one of its spans, however long, and within its own first and last', () => {
    const months = oslo('0 0 1 * *', 'P3D')
    expect(told(months, '2026-05-03T12:00:00Z', '2026-05-03T12:00:00Z')).toEqual(['2026-04-30T22:00 2026-05-03T22:00'])
    expect(told({ ...months, from: at('2026-05-02T08:00:00Z'), until: at('2026-06-01T06:00:00Z') }, '2026-01-01T00:00:00Z', '2027-01-01T00:00:00Z')).toEqual([
      '2026-05-02T08:00 2026-05-03T22:00',
      '2026-05-31T22:00 2026-06-01T06:00',
    ])
  })
  it('that was ended this once comes again', () => {
    const nights = { ...oslo('0 2 * * *', 'PT4H'), passed: at('2026-01-10T02:30:00Z') }
    expect(told(nights, '2026-01-09T12:00:00Z', '2026-01-11T12:00:00Z')).toEqual(['2026-01-10T01:00 2026-01-10T02:30', '2026-01-11T01:00 2026-01-11T05:00'])
    expect(pauseSpanAt(nights, at('2026-01-10T03:00:00Z'))).toBeUndefined()
  })
  it('gives the next few of a rule that is rare', () => {
    expect(told(oslo('0 0 29 feb *', 'P1D'), '2026-01-01T00:00:00Z', '2035-01-01T00:00:00Z', 2)).toEqual(['2028-02-28T23:00 2028-02-29T23:00', '2032-02-28T23:00 2032-02-29T23:00'])
  })
  it('says the same of a moment as its spans do, whatever the rule', () => {
    const rule = fc.record({
      cron: fc.constantFrom('0 2 * * sun', '30 1 * * *', '0 0 1 * *', '15 */6 * * *', '0 22 * * fri', '0 0 1,15 * mon'),
      zone: fc.constantFrom('UTC', 'Europe/Oslo', 'America/St_Johns', 'Australia/Lord_Howe', 'Pacific/Apia'),
      lasts: fc.constantFrom('PT30M', 'PT4H', 'PT6H'),
    })
    fc.assert(
      fc.property(rule, fc.integer({ min: 0, max: 700 * 24 * 60 }), fc.option(fc.integer({ min: 0, max: 700 * 24 * 60 })), (again, minute, pass) => {
        const pause = { ...ever, again, passed: pass === null ? null : ever.from + pass * 60_000 }
        const moment = ever.from + minute * 60_000
        const spans = pauseSpans(pause, moment - 40 * 86_400_000, moment + 40 * 86_400_000)
        for (const [place, { from, until }] of spans.entries()) {
          expect(from).toBeLessThan(until)
          if (place > 0) expect(from).toBeGreaterThan(spans[place - 1]!.from)
        }
        // six hours from each of four are more than the day has where the clock is set forward: the one that ends last
        const there = spans.filter(({ from, until }) => from <= moment && moment < until)
        expect(pauseSpanAt(pause, moment)).toEqual(there.at(-1))
      }),
      { numRuns: 60 },
    )
  })
}) // prettier-ignore

describe('how a pause comes again', () => {
  const faults = (given: object) =>
    againSchema.safeParse({ cron: '0 2 * * sun', zone: 'UTC', lasts: 'PT4H', ...given }).error?.issues.map(({ path, message }) => `${path.join('.')}: ${message}`) ?? [] // prettier-ignore
  it('is said in words', () => {
    expect(againWords({ cron: '0 2 * * sun', zone: 'Europe/Oslo', lasts: 'PT4H' })).toBe(
      'at 02:00, only on Sunday, for 4 h, by the clock of Europe/Oslo',
    )
  })
  it('is told what is wrong with it where that stands', () => {
    expect(faults({})).toEqual([])
    expect(faults({ cron: '0 2 * *', zone: 'Oslo', lasts: 'four hours' })).toEqual([
      'cron: "0 2 * *" has 4 fields; it takes five: minute, hour, day of the month, month, day of the week',
      'zone: "Oslo" is no time zone; write one of the IANA database, such as Europe/Oslo',
      'lasts: an ISO 8601 duration from PT1M to P31D, such as PT30M or PT4H',
    ])
    expect(faults({ lasts: 'P1M' })).toHaveLength(1)
    expect(faults({ lasts: 'four hours' })).toHaveLength(1)
    expect(faults({ lasts: 'PT0S' })).toHaveLength(1)
  })
  it('ends before it begins again; from one to the next without a break it may', () => {
    const again =
      'lasts: it would begin again before it is over: let it last shorter, or pause once and without an end'
    expect(faults({ cron: '* * * * *', lasts: 'P31D' })).toEqual([again])
    expect(faults({ cron: '0 0 * * *', lasts: 'PT25H' })).toEqual([again])
    // the day of 23 hours is shorter than 24 of them, and not than a day
    expect(faults({ cron: '0 0 * * *', zone: 'Europe/Oslo', lasts: 'PT24H' })).toEqual([again])
    expect(faults({ cron: '0 0 * * *', zone: 'Europe/Oslo', lasts: 'P1D' })).toEqual([])
  })
})
