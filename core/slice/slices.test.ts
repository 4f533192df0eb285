import fc from 'fast-check'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, it } from 'vitest'
import type { SliceSpec } from './spec'
import { closingsBetween, isClosed, newestClosed, slicesBetween, slicesInSpan } from './slices'

const spec = (every: string, zone: string, from = '2020-01-01'): SliceSpec => ({ every, zone, from })
const hours = ({ from, to }: { from: string; to: string }) => (Date.parse(to) - Date.parse(from)) / 3_600_000

/** Clock changes from the IANA time zone database. */
describe('slices and clock changes', () => {
  it.each([
    ['Europe/Oslo', '2026-03-29', 23],
    ['Europe/Oslo', '2026-10-25', 25],
    ['America/New_York', '2026-03-08', 23],
    // Lord Howe Island moves its clock by half an hour
    ['Australia/Lord_Howe', '2026-04-05', 24.5],
    ['Australia/Lord_Howe', '2026-10-04', 23.5],
    ['Asia/Kolkata', '2026-06-01', 24],
  ])('a day in %s on %s has %d hours', (zone, day, length) => {
    const [slice] = slicesInSpan(spec('P1D', zone), day)
    expect(hours(slice!)).toBe(length)
    expect(slice!.label).toBe(day)
  })
  it('Apia skipped 30 December 2011', () => {
    const slices = slicesBetween(spec('P1D', 'Pacific/Apia', '2011-12-01'), '2011-12-29', '2012-01-01')
    expect(slices.map(({ label }) => label)).toEqual(['2011-12-29', '2011-12-31'])
    expect(slices.map(hours)).toEqual([24, 24])
  })
  it('slices of hours, too: nothing is left of the day that was skipped, and no slice overlaps another', () => {
    const slices = slicesBetween(spec('PT6H', 'Pacific/Apia', '2011-12-01'), '2011-12-29', '2012-01-01')
    expect(slices.map(({ label }) => label.slice(0, 13))).toEqual([
      '2011-12-29T00', '2011-12-29T06', '2011-12-29T12', '2011-12-29T18', '2011-12-31T00', '2011-12-31T06', '2011-12-31T12', '2011-12-31T18',
    ]) // prettier-ignore
    expect(slices.map(hours)).toEqual([6, 6, 6, 6, 6, 6, 6, 6])
    slices.slice(1).forEach((slice, n) => expect(slice.from).toBe(slices[n]!.to))
  })
  it('tells the doubled hour apart', () => {
    const labels = slicesBetween(spec('PT1H', 'Europe/Oslo'), '2026-10-25T00:00', '2026-10-25T05:00').map(
      ({ label }) => label,
    )
    expect(labels).toHaveLength(6)
    expect(new Set(labels).size).toBe(6)
  })
})

/** Local hours across clock changes; the hours at which clocks change are IANA's (tzdata). */
describe('slices of hours', () => {
  const cutting = (every: string, zone: string, from: string, to: string) =>
    slicesBetween(spec(every, zone), from, to).map((slice) => [slice.label.slice(11, 16), hours(slice)])
  it.each([
    ['Europe/Oslo', '2026-03-29', [['00:00', 5], ['06:00', 6], ['12:00', 6], ['18:00', 6]]],
    ['Europe/Oslo', '2026-10-25', [['00:00', 7], ['06:00', 6], ['12:00', 6], ['18:00', 6]]],
    ['America/New_York', '2026-03-08', [['00:00', 5], ['06:00', 6], ['12:00', 6], ['18:00', 6]]],
    ['Australia/Lord_Howe', '2026-04-05', [['00:00', 6.5], ['06:00', 6], ['12:00', 6], ['18:00', 6]]],
    ['America/Santiago', '2026-09-06', [['01:00', 5], ['06:00', 6], ['12:00', 6], ['18:00', 6]]],
  ])('six hours in %s on %s', (zone, day, expected) => {
    const next = Temporal.PlainDate.from(day).add({ days: 1 }).toString()
    expect(cutting('PT6H', zone, day, next)).toEqual(expected)
  }) // prettier-ignore
  it('begin at the hours of their start, years later, too', () => {
    const slices = slicesBetween(spec('PT12H', 'Europe/Oslo', '2020-01-01T06:00'), '2026-07-01', '2026-07-03')
    expect(slices.map(({ label }) => label)).toEqual([
      '2026-07-01T06:00+02:00',
      '2026-07-01T18:00+02:00',
      '2026-07-02T06:00+02:00',
    ])
  })
  it('of an hour are 23 and 25 of one hour each; where the clock changes by less, one is longer', () => {
    const oslo = (day: string, next: string) => cutting('PT1H', 'Europe/Oslo', day, next)
    expect(oslo('2026-03-29', '2026-03-30').map(([, length]) => length)).toEqual(Array(23).fill(1))
    expect(oslo('2026-10-25', '2026-10-26').map(([, length]) => length)).toEqual(Array(25).fill(1))
    const howe = cutting('PT1H', 'Australia/Lord_Howe', '2026-04-05', '2026-04-06')
    expect(howe).toHaveLength(24)
    expect(howe[1]).toEqual(['01:00', 1.5])
    expect(howe.every(([label]) => String(label).endsWith(':00'))).toBe(true)
  })
  it('that do not divide a day are counted on', () => {
    const lengths = cutting('PT5H', 'Europe/Oslo', '2026-03-28', '2026-03-31').map(([, length]) => length)
    expect(new Set(lengths)).toEqual(new Set([5]))
  })
  it('leave nothing of what a zone skipped', () => {
    expect(newestClosed(spec('P1D', 'Pacific/Apia', '2011-12-01'), '2011-12-30T10:00:00Z')!.label).toBe(
      '2011-12-29',
    )
    expect(slicesInSpan(spec('P1D', 'Pacific/Apia', '2011-12-01'), '2011-12-30')[0]).toMatchObject({
      label: '2011-12-31',
    })
  })
})

describe('slices', () => {
  it('FROM/TO is half-open: four days, not five', () => {
    expect(slicesInSpan(spec('P1D', 'UTC'), '2026-11-01/2026-11-05').map(({ label }) => label)).toEqual([
      '2026-11-01',
      '2026-11-02',
      '2026-11-03',
      '2026-11-04',
    ])
  })
  it('counts months from the start, so that the 31st does not drift', () => {
    expect(
      slicesBetween(spec('P1M', 'UTC', '2026-01-31'), '2026-01-31', '2026-06-01').map(({ from }) =>
        from.slice(0, 10),
      ),
    ).toEqual(['2026-01-31', '2026-02-28', '2026-03-31', '2026-04-30'])
    expect(slicesInSpan(spec('P1M', 'UTC'), '2026-02-01')[0]!.label).toBe('2026-02')
  })
  it('keeps to the whole slices of a span, and to its end', () => {
    const until = { ...spec('P1W', 'UTC', '2026-11-02'), until: '2026-11-23' }
    expect(slicesBetween(until, '2026-11-03', '2027-01-01').map(({ label }) => label)).toEqual([
      '2026-11-09',
      '2026-11-16',
    ])
  })
  it('knows the newest slice that is over, and whether one is, its grace included', () => {
    const daily = { ...spec('P1D', 'Europe/Oslo'), grace: 'PT5H' }
    expect(newestClosed(daily, '2026-11-22T22:59:00Z')!.label).toBe('2026-11-21')
    expect(newestClosed(daily, '2026-11-22T23:00:00Z')!.label).toBe('2026-11-22')
    const [slice] = slicesInSpan(daily, '2026-11-22')
    expect([
      isClosed(slice!, daily, '2026-11-23T03:59:00Z'),
      isClosed(slice!, daily, '2026-11-23T04:00:00Z'),
    ]).toEqual([false, true])
    expect(newestClosed(daily, '2019-01-01T00:00:00Z')).toBeUndefined()
  })
  it.each([
    ['P1D', 'yesterday', /no date or time/],
    ['P1X', '2026-11-01', /no ISO 8601 duration/],
    ['P1DT1H', '2026-11-01', /by days or by hours/],
    ['P1D', '2026-11-05/2026-11-01', /no whole slice/],
    ['P1M', '2026-11-05', /no slice begins/],
    ['P1D', '2026-11-01/2026-11-02/2026-11-03', /no span/],
  ])('every %s over %s is refused with a reason', (every, span, reason) => {
    expect(() => slicesInSpan(spec(every, 'UTC'), span)).toThrow(reason)
  })
  it('tiles time: each slice begins where the one before it ended', () => {
    const zones = fc.constantFrom(
      'Europe/Oslo',
      'America/New_York',
      'Australia/Lord_Howe',
      'Pacific/Apia',
      'UTC',
    )
    const lengths = fc.constantFrom('P1D', 'P1W', 'P1M', 'PT1H', 'PT15M', 'P3D', 'PT6H', 'PT2H', 'PT7H')
    fc.assert(
      fc.property(zones, lengths, fc.integer({ min: 0, max: 4000 }), (zone, every, offset) => {
        const from = Temporal.PlainDate.from('2015-01-01').add({ days: offset })
        const slices = slicesBetween(
          spec(every, zone, '2010-01-01'),
          from.toString(),
          from.add({ days: 9 }).toString(),
        )
        for (let i = 1; i < slices.length; i++) expect(slices[i]!.from).toBe(slices[i - 1]!.to)
      }),
      { numRuns: 60 },
    )
  })
})

describe('slices that close', () => {
  const at = (iso: string) => Date.parse(iso)
  it('are given once each, at their end and the grace after it', () => {
    const days = { ...spec('P1D', 'Europe/Oslo'), grace: 'PT5H' }
    const found = closingsBetween(days, at('2026-03-27T12:00Z'), at('2026-03-30T12:00Z'))
    expect(found.map(({ slice, at: due }) => [slice.label, new Date(due).toISOString().slice(0, 16)])).toEqual([
      ['2026-03-27', '2026-03-28T04:00'],
      // five hours are five hours, also where the clock leaves one out
      ['2026-03-28', '2026-03-29T04:00'],
      ['2026-03-29', '2026-03-30T03:00'],
    ])
  })
  it('in one span and in two are the same, whatever the rule', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('PT15M', 'PT1H', 'PT6H', 'P1D', 'P1W', 'P1M'),
        fc.constantFrom('Europe/Oslo', 'Australia/Lord_Howe', 'Pacific/Apia', 'UTC'),
        fc.constantFrom(undefined, 'PT30M', 'P2D', 'P1M'),
        fc.integer({ min: at('2011-12-01'), max: at('2012-02-01') }),
        fc.integer({ min: 1, max: 40 * 86_400_000 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (every, zone, grace, after, length, share) => {
          const rule = { ...spec(every, zone, '2011-10-01'), ...(grace ? { grace } : {}) }
          const [middle, until] = [after + Math.round(length * share), after + length]
          const whole = closingsBetween(rule, after, until)
          expect([...closingsBetween(rule, after, middle), ...closingsBetween(rule, middle, until)]).toEqual(whole)
          // each slice that is over is taken up by one of them, none is left between two
          if (grace === undefined || grace === 'PT30M') whole.slice(1).forEach(({ slice }, n) => expect(slice.from).toBe(whole[n]!.slice.to))
          expect(closingsBetween(rule, after, until, 2)).toEqual(whole.slice(0, 2))
        },
      ),
      { numRuns: 60, examples: [['PT15M', 'Pacific/Apia', 'P1M', 1322697600000, 35100000, 0], ['PT6H', 'Pacific/Apia', undefined, 1324031639351, 1272360649, 0], ['PT15M', 'Pacific/Apia', 'P2D', 1325215280447, 3455999987, 0.006921166837377074]] },
    )
  })
  it('an offset moves every boundary', () => {
    const days = { ...spec('P1D', 'Europe/Oslo'), offset: 'PT6H' }
    expect(slicesInSpan(days, '2026-11-25T06:00')[0]).toMatchObject({ from: '2026-11-25T05:00:00Z', to: '2026-11-26T05:00:00Z' })
    expect(() => slicesInSpan({ ...days, offset: 'six' }, '2026-11-25')).toThrow('no ISO 8601 duration')
  })
}) // prettier-ignore

describe('slices of one length', () => {
  const zones = ['UTC', 'Europe/Oslo', 'America/St_Johns', 'Pacific/Apia', 'Australia/Lord_Howe', 'Africa/Monrovia']
  it('are those that Temporal counts, with the instants and the times of the clock as it writes them', () => {
    fc.assert(
      fc.property(
        fc.constantFrom('PT1M', 'PT7M', 'PT30M', 'PT1H', 'PT5H', 'PT90M', 'PT100S', 'PT60.5S', 'PT25H'),
        fc.constantFrom(...zones),
        fc.constantFrom('1971-12-31', '2011-12-28', '2026-03-28T22:00', '2026-10-24T21:59:30.25', '2026-04-04'),
        fc.integer({ min: 0, max: 60_000 }),
        fc.integer({ min: 1, max: 300 }),
        (every, zone, from, skipped, count) => {
          const start = Temporal.PlainDateTime.from(from).toZonedDateTime(zone)
          const seconds = Temporal.Duration.from(every).total('seconds')
          const edge = (n: number) => start.add({ milliseconds: (skipped + n) * seconds * 1000 })
          const slices = slicesBetween({ every, zone, from }, edge(0).toInstant().toString(), edge(count).toInstant().toString())
          // those that go by the clock on the wall are cut otherwise where it is set
          fc.pre(slices.length === count && Date.parse(slices[0]!.from) === edge(0).epochMilliseconds)
          for (const [n, slice] of slices.entries())
            expect(slice).toEqual({
              from: edge(n).toInstant().toString(),
              to: edge(n + 1).toInstant().toString(),
              label: `${edge(n).toPlainDateTime().toString({ smallestUnit: 'minute' })}${edge(n).toString({ timeZoneName: 'never', smallestUnit: 'minute' }).slice(-6)}`,
            })
        },
      ),
      { numRuns: 150 },
    )
  })
  it('are told as too many without being cut', () => {
    const minutes = { every: 'PT1M', zone: 'Europe/Oslo', from: '2026-01-01' }
    expect(slicesBetween(minutes, '2026-01-01', '2026-03-11T10:40')).toHaveLength(100_000)
    expect(() => slicesBetween(minutes, '2026-01-01', '2026-03-11T10:41')).toThrow(/more than 100000 slices/)
    expect(() => slicesBetween(minutes, '2026-01-01', '9999-12-31')).toThrow(/more than 100000 slices/)
  })
}) // prettier-ignore
