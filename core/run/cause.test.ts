import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { causeOf, liesOutside, ownValues } from './cause'

describe('the cause of a failure', () => {
  it.each([
    ['there is no file "flow_corrie_20261103.csv"', 'there is no file …'],
    ['flow_corrie_20261103.csv is empty', '… is empty'],
    ['3 rows of 1,200 have no key', '… rows of … have no key'],
    ['slice 2026-11-03T00:00:00Z is not over', 'slice … is not over'],
    [`value 'it''s' is too long`, 'value … is too long'],
    ['the server went away', 'the server went away'],
  ])('%j reads as %j', (message, cause) => expect(causeOf(message)).toBe(cause))

  it('is the same for messages that differ in their values only', () => {
    fc.assert(
      fc.property(
        fc.nat(),
        fc.nat(),
        fc.stringMatching(/^[a-z]{1,8}$/),
        fc.stringMatching(/^[a-z]{1,8}$/),
        (n, m, a, b) => {
          const message = (count: number, name: string) =>
            `${count} rows of "${name}" and ${name}_1.csv do not fit`
          expect(causeOf(message(n, a))).toBe(causeOf(message(m, b)))
        },
      ),
    )
  })

  it('is its own cause', () => {
    fc.assert(
      fc.property(
        fc.string(),
        (text) => void expect(causeOf(causeOf(text))).toBe(causeOf(causeOf(causeOf(text)))),
      ),
    )
  })

  it('takes the values out of a message, so that one cause reads the same', () => {
    const a = causeOf('no file matches flow_a_20261101.csv in "drop"')
    expect(a).toBe(causeOf('no file matches flow_bb_20261230.csv in "other"'))
    expect(causeOf('412 of 9,600 rows share meter')).toBe(causeOf('7 of 12 rows share meter'))
    expect(a).not.toBe(causeOf('permission denied for table x'))
  })

  it('is the same for the rows of one job, whatever their names are made of', () => {
    const own = (feed: string, pattern: string) =>
      ownValues({
        texts: [
          { slot: { text: '{row.path}' }, resolved: { kind: 'path', text: pattern, pattern } },
          { slot: { text: 'gauge-drop' }, resolved: { kind: 'text', text: 'gauge-drop' } },
        ],
        row: { feed, path: pattern, n: 3, active: true, note: null },
        slice: { label: '2026-W49' },
      })
    const of = (feed: string, pattern: string) =>
      causeOf(`no file matches ${pattern} in gauge-drop for ${feed}, 2026-W49`, own(feed, pattern))
    const cause = of('power_hexley', 'power_hexley_20261201*.csv')
    expect(cause).toBe('no file matches … in gauge-drop for …')
    expect(of("d's (old) [x]", 'in\\a b?/[1]*.txt')).toBe(cause)
    expect(of('é', '$& é.é')).toBe('no file matches … in gauge-drop for é, …')
  })

  it('keeps words that only begin like a value of the row, and very short ones', () => {
    const own = ownValues({ texts: [], row: { a: 'flow', b: 'of', c: 'is' }, slice: null })
    expect(causeOf('overflow of flow, flows and flow_a is flow', own)).toBe(
      'overflow of …, flows and flow_a is …',
    )
  })

  it('is found beside a cell as long as a book', () => {
    const own = ownValues({ texts: [], row: { book: '('.repeat(40_000_000), feed: 'flow_a' }, slice: null })
    expect(causeOf('flow_a is gone', own)).toBe('… is gone')
  })

  it('takes the longest first, so that no rest of a value stays', () => {
    const own = ownValues({ texts: [], row: { a: 'north', b: 'north basin' }, slice: null })
    expect(causeOf('north basin is not known', own)).toBe('… is not known')
  })

  it('is found however the values are written', () => {
    fc.assert(
      fc.property(
        fc.oneof(fc.string({ minLength: 3, unit: 'grapheme' }), fc.string({ minLength: 3, unit: 'binary' })),
        (value) => {
          const own = ownValues({ texts: [], row: { value }, slice: null })
          expect(() => causeOf(`— ${value} —`, own)).not.toThrow()
          if (/^[\p{L}\p{N}]+$/u.test(value)) expect(causeOf(`— ${value} —`, own)).toBe('— … —')
        },
      ),
    )
  })
})

describe('what lies outside of a job', () => {
  // names of the codes: PostgreSQL, appendix A; errno(3)
  it.each([
    ['08006', true], // connection_failure
    ['28P01', true], // invalid_password
    ['3D000', true], // invalid_catalog_name
    ['53100', true], // disk_full
    ['57P03', true], // cannot_connect_now
    ['58030', true], // io_error
    ['ECONNREFUSED', true],
    ['no-space', true],
    ['22012', false], // division_by_zero
    ['42P01', false], // undefined_table
    ['42501', false], // insufficient_privilege
    ['23505', false], // unique_violation
    ['file', false],
    ['check', false],
    [null, false],
  ])('%s: %s', (code, is) => expect(liesOutside(code)).toBe(is))
})
