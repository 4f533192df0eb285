import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { Temporal } from 'temporal-polyfill'
import { formatTime, timeReader } from '../expression/dates'
import { filePattern, fileRow, patternTokens, type PatternPiece } from './filePattern'

const pieces = (text: string): PatternPiece[] =>
  patternTokens(text).map((token) => {
    if (token.kind === 'expression') throw new Error(`an expression: ${token.source}`)
    return token.kind === 'literal' ? token.text : { part: token.part, format: token.format }
  })
const pattern = (text: string, subfolders = false) => filePattern(pieces(text), { subfolders, zone: 'UTC' })

describe('named parts of file names', () => {
  it('become columns: text, dates by their pattern, numbers by their zeros', () => {
    const { columns, match, glob } = pattern('flow_{district}_{date:yyyyMMdd}.csv')
    expect(columns).toEqual([
      { name: 'district', type: 'text' },
      { name: 'date', type: 'date' },
    ])
    expect(glob).toBe('flow_*_*.csv')
    expect(match('flow_thornby_20261122.csv')).toEqual({ district: 'thornby', date: '2026-11-22' })
    expect(match('flow_north_east_20261122.csv')).toEqual({ district: 'north_east', date: '2026-11-22' })
  })
  it.each([
    ['a day that is not in the calendar', 'flow_thornby_20261399.csv'],
    ['30 February', 'flow_thornby_20260230.csv'],
    ['too few digits', 'flow_thornby_2026112.csv'],
    ['another ending', 'flow_thornby_20261122.csv.bak'],
    ['another folder', 'old/flow_thornby_20261122.csv'],
    ['nothing where a part is', 'flow__20261122.csv'],
  ])('do not match %s', (_what, path) =>
    expect(pattern('flow_{district}_{date:yyyyMMdd}.csv').match(path)).toBeUndefined(),
  )
  it('tell a time of day, in the zone', () => {
    const { columns, match } = filePattern(pieces("run_{at:yyyyMMdd'T'HHmm}.csv"), {
      subfolders: false,
      zone: 'Europe/Oslo',
    })
    expect(columns).toEqual([{ name: 'at', type: 'timestamp' }])
    expect(match('run_20260701T0530.csv')).toEqual({ at: '2026-07-01T03:30:00Z' })
    expect(match('run_20260701T2530.csv')).toBeUndefined()
  })
  it.each([
    ['{n:000}', 'x007', { n: 7 }],
    ['{n:000}', 'x07', undefined],
    ['{n:#}', 'x07', { n: 7 }],
    ['{n:#00}', 'x1234', { n: 1234 }],
    ['{n:#00}', 'x1', undefined],
    // too long for a number that keeps every digit
    ['{n:#}', 'x12345678901234567890', { n: '12345678901234567890' }],
  ])('read whole numbers by %s (UTS #35 number patterns): %s', (part, path, row) =>
    expect(pattern(`x${part}`).match(path)).toEqual(row),
  )
  it('may name folders, and stand twice for the same text', () => {
    const { match } = pattern('{district}/{date:yyyy-MM}/{district}_*.csv')
    expect(match('corrie/2026-11/corrie_1.csv')).toEqual({ district: 'corrie', date: '2026-11-01' })
    expect(match('corrie/2026-11/sallow_1.csv')).toBeUndefined()
  })
  it('match at any depth where subfolders are wanted, and only there', () => {
    expect(pattern('{kind}_*.csv', true).match('a/b/flow_1.csv')).toEqual({ kind: 'flow' })
    expect(pattern('{kind}_*.csv', true).match('flow_1.csv')).toEqual({ kind: 'flow' })
    expect(pattern('in/{kind}_*.csv', true).match('in/x/y/flow_1.csv')).toEqual({ kind: 'flow' })
    expect(pattern('in/{kind}_*.csv', true).match('out/flow_1.csv')).toBeUndefined()
    expect(pattern('in/{kind}_*.csv').match('in/x/flow_1.csv')).toBeUndefined()
  })
  it('leave letters alone that mean something in regular expressions', () => {
    expect(pattern('a+b(1)[{x}]$.csv').match('a+b(1)[q]$.csv')).toEqual({ x: 'q' })
    expect(pattern('a\\*{x}').match('a*1')).toEqual({ x: '1' })
    expect(pattern('a?{x}').match('ab1')).toEqual({ x: '1' })
  })
  it('are told from expressions', () => {
    expect(patternTokens('{row.kind}_{district}_{param.x}').map(({ kind }) => kind)).toEqual([
      'expression', 'literal', 'part', 'literal', 'expression',
    ]) // prettier-ignore
  })
  it.each([
    ['{name}.csv', /every file has a "name" already/],
    ['{at:HHmm}.csv', /has no year/],
    ['{at:EEEE yyyy}.csv', /cannot be read back/],
    ['../{x}.csv', /leaves the store/],
    ['/{x}.csv', /absolute/],
  ])('say what is wrong with %s', (text, message) => expect(() => pattern(text)).toThrow(message))
  it('give a row with what is known of every file', () => {
    expect(fileRow({ path: 'a/b.csv', size: 3, modified: '2026-11-01T00:00:00Z' }, { x: 'q' })).toEqual({
      name: 'b.csv', path: 'a/b.csv', folder: 'a', size: 3, modified: '2026-11-01T00:00:00Z', x: 'q',
    }) // prettier-ignore
  })
})

describe('patterns of many parts of any length', () => {
  it('end soon, however many ways a name can be parted in', () => {
    const many = 'abcdefgh'.split('').map((part) => `{${part}}`)
    const name = 'a'.repeat(250)
    expect(pattern(`${many.join('')}-x`).match(name)).toBeUndefined()
    expect(pattern(`${'*a'.repeat(30)}-{x}`).match(name)).toBeUndefined()
    expect(pattern(`${many.join('a/')}-x`).match(Array.from({ length: 8 }, () => name).join('/'))).toBeUndefined() // prettier-ignore
    expect(() => pattern(`{a}${many.join('')}-x`)).toThrow('a part stands twice among too many parts')
  })
  it('give each part the fewest letters, as few of them do', () => {
    const text = fc.string({ unit: fc.constantFrom('a', 'b', '_', '1', '.'), maxLength: 12 })
    const piece = fc.oneof(
      fc.constantFrom('*', '?', 'a', 'b', '_', '.'),
      fc.constantFrom('text', '#', '00', 'yyyy').map((format) => ({ format })),
    )
    fc.assert(
      fc.property(fc.array(piece, { maxLength: 7 }), text, (made, name) => {
        const parts = made.map((one, i): PatternPiece =>
          typeof one === 'string'
            ? one
            : { part: `p${i}`, format: one.format === 'text' ? undefined : one.format },
        )
        const whole = [...parts, { part: 'x', format: undefined }, '*', { part: 'y', format: undefined }, '*']
        // the same as an ECMAScript regular expression, which tries one way after another
        const source = whole.map((one) => {
          if (typeof one === 'string') return one.replace('.', '\\.').replace('*', '[^/]*').replace('?', '[^/]')
          const open = { '#': '\\d+', '00': '\\d{2}', yyyy: '\\d{4}' }[one.format ?? ''] ?? '[^/]+?'
          return `(?<${one.part}>${open})`
        }) // prettier-ignore
        const groups = new RegExp(`^${source.join('')}$`, 's').exec(name)?.groups
        const row = filePattern(whole, { subfolders: false, zone: 'UTC' }).match(name)
        const plain = (key: string) => (/^yyyy$/.test(formats.get(key) ?? '') ? String(row?.[key]).slice(0, 4) : String(row?.[key])) // prettier-ignore
        const formats = new Map(whole.flatMap((one) => (typeof one === 'string' ? [] : [[one.part, one.format]]))) // prettier-ignore
        expect(row === undefined).toBe(groups === undefined || unread(groups, formats))
        if (row)
          for (const [key, value] of Object.entries(groups ?? {}))
            expect(plain(key)).toBe(/^[#0]+$/.test(formats.get(key) ?? '') ? String(Number(value)) : value)
      }),
      { numRuns: 400 },
    )
  })
})

/** Is there a year that no calendar has? */
const unread = (groups: Record<string, string>, formats: ReadonlyMap<string, string | undefined>): boolean =>
  Object.entries(groups).some(
    ([key, value]) => formats.get(key) === 'yyyy' && timeReader('yyyy', 'UTC').read(value) === undefined,
  )

describe('dates read back (UTS #35)', () => {
  // what is formatted by a pattern that has day and year is read back as it was
  it.each([
    'yyyyMMdd',
    'dd.MM.yyyy',
    'd-M-yyyy',
    'yyyy/DDD',
    'MMM d, yyyy',
    'MMMM dd yyyy',
    "yyyy'y'MM'm'dd",
    'uuuuMMdd',
  ])('%s there and back', (text) => {
    const reader = timeReader(text, 'UTC')
    fc.assert(
      fc.property(fc.integer({ min: 0, max: 60_000 }), (days) => {
        const date = Temporal.PlainDate.from('1950-01-01').add({ days })
        expect(reader.read(formatTime(date.toZonedDateTime('UTC'), text))).toBe(date.toString())
      }),
      { numRuns: 60 },
    )
  })
  it.each(["yyyyMMdd'T'HHmmss", 'yyyy-MM-dd HH:mm:ss.SSS', 'yyyyDDDHHmmss'])(
    '%s there and back, as an instant',
    (text) => {
      const reader = timeReader(text, 'America/New_York')
      expect(reader.type).toBe('timestamp')
      fc.assert(
        fc.property(fc.integer({ min: 0, max: 1_000_000_000 }), (seconds) => {
          const time = Temporal.Instant.fromEpochMilliseconds(seconds * 1000).toZonedDateTimeISO(
            'America/New_York',
          )
          // an hour that the clocks go through twice is read as the first of the two
          const first = time
            .toPlainDateTime()
            .toZonedDateTime('America/New_York', { disambiguation: 'compatible' })
          expect(reader.read(formatTime(time, text))).toBe(first.toInstant().toString())
        }),
        { numRuns: 60 },
      )
    },
  )
  it('take two digits of a year as of this century’s first hundred, and refuse fields that contradict each other', () => {
    expect(timeReader('yyMMdd', 'UTC').read('261122')).toBe('2026-11-22')
    expect(timeReader('yyyyMMdd_yyyy', 'UTC').read('20261122_2025')).toBeUndefined()
    expect(timeReader('yyyyDDD', 'UTC').read('2026366')).toBeUndefined()
    expect(timeReader('yyyyDDD', 'UTC').read('2028366')).toBe('2028-12-31')
  })
})
