import { readFileSync } from 'node:fs'
import { join } from 'node:path'
import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { cronFault, cronTimes, cronWords, nextChange } from './cron'

const at = (iso: string) => Date.parse(iso)
const times = (expression: string, zone: string, after: string, until: string) =>
  cronTimes({ expression, zone }, at(after), at(until)).map((time) =>
    new Date(time).toISOString().slice(0, 16),
  )

describe('cron', () => {
  it('gives the times that croniter gives: 5,000 expressions, zones and times (tests/references/cron.py)', () => {
    const cases = JSON.parse(
      readFileSync(join(import.meta.dirname, '../../tests/references/cron.json'), 'utf8'),
    ) as [string, string, number, number[]][]
    expect(cases).toHaveLength(5000)
    const wrong = cases.filter(([expression, zone, after, found]) => {
      const ours = cronTimes({ expression, zone }, after * 1000, found.at(-1)! * 1000, 3)
      return JSON.stringify(ours) !== JSON.stringify(found.map((time) => time * 1000))
    })
    expect(wrong.slice(0, 5)).toEqual([])
  })
  it('takes either day where both are written, both where one begins with a star (crontab(5))', () => {
    // 13 November 2026 is a Friday
    expect(times('0 0 13 * 5', 'UTC', '2026-11-01T00:00Z', '2026-11-21T00:00Z')).toEqual([
      '2026-11-06T00:00',
      '2026-11-13T00:00',
      '2026-11-20T00:00',
    ])
    expect(times('0 0 * * 5', 'UTC', '2026-11-10T00:00Z', '2026-11-21T00:00Z')).toHaveLength(2)
    expect(times('0 0 */2 * 5', 'UTC', '2026-11-01T00:00Z', '2026-11-21T00:00Z')).toEqual(['2026-11-13T00:00'])
    // names in any case, 0 and 7 are Sunday
    expect(times('0 0 * NOV sun', 'UTC', '2026-11-01T01:00Z', '2026-11-09T00:00Z')).toEqual(
      times('0 0 * 11 7', 'UTC', '2026-11-01T01:00Z', '2026-11-09T00:00Z'),
    )
  })
  /** cron(8) of Debian: what a change of the clock does to jobs at a set time, and to those with a wildcard. */
  it.each([
    ['what the clock leaves out comes an hour later', '30 2 * * *', 'Europe/Oslo', '2026-03-28T12:00Z', '2026-03-30T12:00Z', ['2026-03-29T01:30', '2026-03-30T00:30']],
    ['what it shows twice comes once', '30 2 * * *', 'Europe/Oslo', '2026-10-24T12:00Z', '2026-10-26T12:00Z', ['2026-10-25T00:30', '2026-10-26T01:30']],
    ['each hour comes each time', '0 * * * *', 'Europe/Oslo', '2026-10-24T23:00Z', '2026-10-25T03:00Z', ['2026-10-25T00:00', '2026-10-25T01:00', '2026-10-25T02:00', '2026-10-25T03:00']],
    ['and none twice where one is left out', '30 * * * *', 'Europe/Oslo', '2026-03-29T00:00Z', '2026-03-29T02:00Z', ['2026-03-29T00:30', '2026-03-29T01:30']],
    ['a change by half an hour', '15 2 * * *', 'Australia/Lord_Howe', '2026-10-02T12:00Z', '2026-10-04T12:00Z', ['2026-10-02T15:45', '2026-10-03T15:45']],
    ['a zone that skipped a day', '0 9 * * *', 'Pacific/Apia', '2011-12-29T12:00Z', '2012-01-01T12:00Z', ['2011-12-29T19:00', '2011-12-30T19:00', '2011-12-31T19:00']],
    ['a zone that changed its rules', '0 9 * * *', 'Europe/Istanbul', '2016-10-29T12:00Z', '2016-11-01T12:00Z', ['2016-10-30T06:00', '2016-10-31T06:00', '2016-11-01T06:00']],
  ])('%s', (_what, expression, zone, after, until, expected) => {
    expect(times(expression, zone, after, until)).toEqual(expected)
  }) // prettier-ignore
  it('gives the same times in one span and in two', () => {
    const zones = ['UTC', 'Europe/Oslo', 'Australia/Lord_Howe', 'America/Santiago']
    fc.assert(
      fc.property(
        fc.constantFrom('*/7 * * * *', '30 2 * * *', '15 1,2,3 * * *', '0 */6 * * 1', '59 23 28-31 * *'),
        fc.constantFrom(...zones),
        fc.integer({ min: at('2026-01-01'), max: at('2027-12-01') }),
        fc.integer({ min: 1, max: 5 * 86_400_000 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (expression, zone, after, length, share) => {
          const [middle, until] = [after + Math.round(length * share), after + length]
          const rule = { expression, zone }
          const whole = cronTimes(rule, after, until)
          expect([...cronTimes(rule, after, middle), ...cronTimes(rule, middle, until)]).toEqual(whole)
          expect([...whole].sort((a, b) => a - b)).toEqual(whole)
          expect(cronTimes(rule, after, until, 3)).toEqual(whole.slice(0, 3))
        },
      ),
    )
  })
  it.each([
    ['5 * * *', 'has 4 fields'],
    ['', 'has 0 fields'],
    ['61 * * * *', '"61" is no minute'],
    ['0 24 * * *', '"24" is no hour'],
    ['0 0 0 * *', '"0" is no day of the month'],
    ['0 0 * foo *', 'jan to dec'],
    ['0 0 30 2 *', 'never comes'],
    ['0 5-3 * * *', 'ends before it begins'],
    ['*/0 * * * *', 'steps of 0'],
    ['5/10 * * * *', 'no range'],
    ['@daily * * * *', 'is no minute'],
    ['0 0 L * *', 'is no day'],
    ['* * * * * *', 'has 6 fields'],
  ])('"%s": %s', (expression, message) => {
    expect(cronFault(expression)).toContain(message)
    expect(() => cronTimes({ expression, zone: 'UTC' }, 0, 1)).toThrow(message)
  })
  it('is said in words', () => {
    expect(cronWords('30 5 * * mon-fri')).toBe('at 05:30, Monday through Friday')
    expect(cronWords('0 0 13 * 5')).toBe('at 00:00, on day 13 of the month, or on Friday')
    expect(cronWords('nonsense')).toBe('nonsense')
  })
  it('knows when a clock is changed next', () => {
    expect(new Date(nextChange('Europe/Oslo', at('2026-11-01'))).toISOString()).toBe('2027-03-28T01:00:00.000Z')
    expect(nextChange('UTC', 0)).toBe(Infinity)
  })
}) // prettier-ignore
