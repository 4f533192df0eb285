import { describe, expect, it } from 'vitest'
import { bytesText, clock, count, lengthText, numberText, spanText, timeText, zoneText } from './times'

describe('lengths in words', () => {
  it.each([
    [-1, '0 s'],
    [0, '1 ms'],
    [0.0004, '1 ms'],
    [0.34, '340 ms'],
    [1, '1 s'],
    [9.96, '10 s'],
    [59.4, '59 s'],
    [60, '1 min'],
    [72, '1 min 12 s'],
    [3599, '59 min 59 s'],
    [3600, '1 h'],
    [7500, '2 h 5 min'],
    [738_000, '205 h'],
  ])('%d s is %s', (seconds, words) => expect(lengthText(seconds)).toBe(words))

  it('never says sixty seconds, or sixty minutes', () => {
    for (let seconds = 0; seconds < 4000; seconds += 0.25)
      expect(lengthText(seconds)).not.toMatch(/\b60 (s|min)\b/)
  })
})

describe('sizes, by powers of a thousand', () => {
  it.each([
    [0, '0 B'],
    [999, '999 B'],
    [1000, '1.0 kB'],
    [4096, '4.1 kB'],
    [10_500, '11 kB'],
    [1_400_000, '1.4 MB'],
    [3_000_000_000, '3.0 GB'],
    [5e12, '5.0 TB'],
  ])('%d is %s', (bytes, words) => expect(bytesText(bytes)).toBe(words))
})

describe('times', () => {
  it('are said in the zone that matters, with the year where it is another', () => {
    expect(timeText('2026-11-22T23:00:00Z', 'Europe/Oslo')).toBe('23 Nov 00:00')
    expect(timeText('2025-11-22T23:00:00Z', 'UTC')).toBe('22 Nov 2025 23:00')
    expect(clock('2026-11-22T23:05:00Z', 'America/St_Johns')).toBe('19:35')
  })

  it('are right on either side of a clock change (Europe/Oslo, 2026-10-25 at 01:00 UTC)', () => {
    expect(clock('2026-10-25T00:30:00Z', 'Europe/Oslo')).toBe('02:30')
    expect(clock('2026-10-25T01:30:00Z', 'Europe/Oslo')).toBe('02:30')
    expect(clock('2026-10-25T02:30:00Z', 'Europe/Oslo')).toBe('03:30')
  })

  it('are midnight as 00, not 24', () => {
    expect(clock('2026-11-22T00:00:00Z', 'UTC')).toBe('00:00')
  })
})

describe('numbers', () => {
  it('are grouped, and counted in the singular for one', () => {
    expect(numberText(1_234_567)).toBe('1,234,567')
    expect([count(0, 'load'), count(1, 'load'), count(2, 'load')]).toEqual(['0 loads', '1 load', '2 loads'])
    expect(count(2, 'entry', 'entries')).toBe('2 entries')
  })
})

describe('spans', () => {
  const year = new Date().getFullYear()
  it.each([
    // days of Oslo
    [`${year}-11-30T23:00:00.000Z/${year}-12-01T23:00:00.000Z`, '1 Dec'],
    [`${year}-11-30T23:00:00.000Z/${year}-12-03T23:00:00.000Z`, '1 Dec – 3 Dec'],
    [`${year}-12-01T05:00:00Z/${year}-12-01T06:00:00+00:00`, '1 Dec 06:00 – 07:00'],
    [`${year}-12-01T21:00:00Z/${year}-12-02T01:30:00Z`, '1 Dec 22:00 – 2 Dec 02:30'],
    // as somebody asked for it
    ['2026-12-01', '2026-12-01'],
    ['2026-11/2026-12', '2026-11/2026-12'],
    ['2026-11-01 … 2026-12-01', '2026-11-01 … 2026-12-01'],
    ['2026-12-01T06:00/2026-12-01T12:00', '2026-12-01T06:00/2026-12-01T12:00'],
    ['2026-13-01T06:00Z/x', '2026-13-01T06:00Z/x'],
  ])('%s is %s', (span, words) => expect(spanText(span, 'Europe/Oslo')).toBe(words))
})

describe('times of a job, read elsewhere', () => {
  const year = new Date().getFullYear()
  it.each([
    ['the same zone', `${year}-12-03T04:50:00Z`, 'Europe/Oslo', '3 Dec 05:50'],
    ['a zone of the same hours', `${year}-12-03T04:50:00Z`, 'Europe/Berlin', '3 Dec 05:50'],
    ['the same day', `${year}-12-03T04:50:00Z`, 'UTC', '3 Dec 05:50 (04:50 here)'],
    ['another day', `${year}-12-02T23:10:00Z`, 'America/New_York', '3 Dec 00:10 (2 Dec 18:10 here)'],
    ['half an hour apart', `${year}-12-03T04:50:00Z`, 'Asia/Kolkata', '3 Dec 05:50 (10:20 here)'],
  ])('%s', (_what, iso, here, words) => expect(zoneText(iso, 'Europe/Oslo', here)).toBe(words))
})
