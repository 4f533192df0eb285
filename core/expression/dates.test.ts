import { Temporal } from 'temporal-polyfill'
import { describe, expect, it } from 'vitest'
import { celCompiler } from './cel'
import { formatTime } from './dates'
import { timestamp } from './instants'

const at = (text: string) => Temporal.ZonedDateTime.from(text)

/** Unicode Technical Standard #35, part 4, "Date Field Symbol Table": the examples given there for each field. */
describe('Unicode date patterns (UTS #35)', () => {
  const time = at('2017-09-05T08:03:07.0425[America/Los_Angeles]')
  it.each([
    ['y', '2017'], ['yy', '17'], ['yyyy', '2017'], ['yyyyy', '02017'],
    ['M', '9'], ['MM', '09'], ['MMM', 'Sep'], ['MMMM', 'September'], ['MMMMM', 'S'],
    ['d', '5'], ['dd', '05'], ['D', '248'], ['DDD', '248'], ['Q', '3'], ['QQ', '03'], ['QQQ', 'Q3'],
    ['E', 'Tue'], ['EEEE', 'Tuesday'], ['EEEEE', 'T'],
    ['H', '8'], ['HH', '08'], ['h', '8'], ['a', 'AM'], ['K', '8'], ['k', '8'], ['m', '3'], ['mm', '03'], ['s', '7'], ['ss', '07'],
    ['S', '0'], ['SSS', '042'], ['SSSS', '0425'],
    ['X', '-07'], ['XX', '-0700'], ['XXX', '-07:00'], ['x', '-07'], ['Z', '-0700'], ['ZZZZZ', '-07:00'], ['VV', 'America/Los_Angeles'],
    ["yyyy.MM.dd 'at' HH:mm", '2017.09.05 at 08:03'], ["h 'o''clock' a", "8 o'clock AM"], ["''", "'"],
  ])('%s gives %s', (pattern, text) => expect(formatTime(time, pattern)).toBe(text)) // prettier-ignore

  it('writes Z for UTC where X asks for it, and +00 where x does', () => {
    const utc = at('2026-01-01T00:00[UTC]')
    expect(formatTime(utc, 'X')).toBe('Z')
    expect(formatTime(utc, 'xxx')).toBe('+00:00')
  })
  it('counts midnight as 12, 0 and 24', () => {
    const midnight = at('2026-01-01T00:30[UTC]')
    expect(formatTime(midnight, 'h K k H')).toBe('12 0 24 0')
  })
  // ISO 8601: 2021-01-03 is in week 53 of 2020
  it('knows that a week belongs to the year of its Thursday (ISO 8601)', () => {
    expect(formatTime(at('2021-01-03T12:00[UTC]'), "YYYY-'W'ww")).toBe('2020-W53')
  })
  it('names a letter that is no field, and a quote that is left open', () => {
    expect(() => formatTime(time, 'yyyy-jj')).toThrow(/no field "j"/)
    expect(() => formatTime(time, "yyyy 'x")).toThrow(/never closed/)
  })
})

describe('date() and local() of a moment', () => {
  // 2026-10-25: Oslo's clock goes from 03:00 back to 02:00 at 01:00 UTC (IANA time zone database)
  const value = (source: string, zone: string) => celCompiler(zone)(source)
  it.each([
    ['Europe/Oslo', '2026-11-02T23:00:00Z', '2026-11-03', '2026-11-03T00:00:00'],
    ['Europe/Oslo', '2026-10-25T00:30:00Z', '2026-10-25', '2026-10-25T02:30:00'],
    ['Europe/Oslo', '2026-10-25T01:30:00Z', '2026-10-25', '2026-10-25T02:30:00'],
    ['America/St_Johns', '2026-11-03T03:29:59.5Z', '2026-11-02', '2026-11-02T23:59:59.5'],
    ['Pacific/Apia', '2011-12-30T10:00:00Z', '2011-12-31', '2011-12-31T00:00:00'],
    ['UTC', '-000043-03-15T12:00:00Z', '-000043-03-15', '-000043-03-15T12:00:00'],
  ])('in %s, %s', (zone, moment, day, local) => {
    const at = timestamp(Temporal.Instant.from(moment))
    expect(value('date(t)', zone).evaluate({ t: at })).toBe(day)
    expect(value('local(t)', zone).evaluate({ t: at })).toBe(local)
    expect(value(`date(t, '${zone}')`, 'Asia/Tokyo').evaluate({ t: at })).toBe(day)
  })
  it('say what they take', () => {
    expect(() => value('date(1)', 'UTC').evaluate({})).toThrow(/date\(\) takes a time, such as slice\.from/)
    expect(() => value('local("x")', 'UTC').evaluate({})).toThrow(/local\(\) takes a time or a day/)
  })
  it('know in which type of Postgres they are written', () => {
    for (const [source, type] of [
      ['date(t)', 'date'],
      ['local(t)', 'timestamp'],
      ['t', undefined],
      ['[date(t)][0]', undefined],
    ] as const)
      expect([source, value(source, 'UTC').writes]).toEqual([source, type])
  })
})
