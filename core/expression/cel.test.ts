import { isCelError, plan, parse, celEnv } from '@bufbuild/cel'
import { Temporal } from 'temporal-polyfill'
import { describe, expect, it } from 'vitest'
import { FaultError } from '../fault'
import { celCompiler, celRow, plainValue } from './cel'
import { timestamp } from './instants'
import { unknownNames, unknownNameText } from './names'

const compile = celCompiler('Europe/Oslo')
const value = (source: string, bindings = {}) => plainValue(compile(source).evaluate(bindings))

/**
 * Conformance cases of the CEL specification (testdata of `@bufbuild/cel-spec`: basic, integer_math, logic, string,
 * lists, macros, comparisons) for what jobs use. The values are those of the specification's files.
 */
describe('CEL conformance', () => {
  it.each([
    ['self_eval_int', '-1', -1n],
    ['self_eval_string', `'foo'`, 'foo'],
    ['self_eval_string_raw', String.raw`r'a\nb'`, String.raw`a\nb`],
    ['escape', String.raw`'\a\b\f\n\r\t\v\"\'\\'`, '\u0007\b\f\n\r\t\v"\'\\'],
    ['add', '40 + 2', 42n],
    ['multiply', '40 * -2', -80n],
    ['int_divide', '10 / -3', -3n],
    ['int_modulo', '43 % 5', 3n],
    ['double_add', '4.25 + 15.25', 19.5],
    ['and_short_circuit_error_left', '(1 / 0 > 2) && false', false],
    ['or_short_circuit_error_left', '(1 / 0 > 2) || true', true],
    ['conditional', 'true ? 1 : 2', 1n],
    ['not', '!true', false],
    ['string_concat', `'he' + 'llo'`, 'hello'],
    ['string_size_unicode', `size('ÿ')`, 1n],
    ['starts_with', `'foobar'.startsWith('foo')`, true],
    ['matches_re', `'hubba'.matches('ubb')`, true],
    ['list_in', `'b' in ['a', 'b']`, true],
    ['list_index', `[7, 8, 9][0]`, 7n],
    ['exists', `[1, 2, 3].exists(e, e > 1)`, true],
    ['all', `[1, 2, 3].all(e, e > 0)`, true],
    ['map', `[1, 2].map(n, n * 2).size()`, 2n],
    ['filter', `[0, 1, 2].filter(x, x % 2 == 1).size()`, 1n],
    ['compare_mixed', '1 < 1.5', true],
    ['conversion', `int('42') + int(3.9)`, 45n],
    ['timestamp', `timestamp('2009-02-13T23:31:30Z').getFullYear()`, 2009n],
    [
      'duration',
      `timestamp('2026-01-02T00:00:00Z') - timestamp('2026-01-01T00:00:00Z') == duration('24h')`,
      true,
    ],
  ])('%s: %s', (_name, source, expected) => expect(value(source)).toEqual(expected))

  it.each([
    ['divide_by_zero', '1 / 0'],
    ['int_overflow', '9223372036854775807 + 1'],
    ['no_such_key', `{'a': 1}['b']`],
    ['index_out_of_range', '[1][3]'],
  ])('%s is an error: %s', (_name, source) => {
    expect(() => value(source)).toThrow(FaultError)
    // held against the library alone, so that our wrapper cannot make an error of its own
    expect(isCelError(plan(celEnv(), parse(source))({}))).toBe(true)
  })
})

describe('expressions of jobs', () => {
  it('see fields that are called as what every object has', () => {
    const bindings = { row: { constructor: 'a', toString: 'b', plain: 'c' }, param: { constructor: 1n } }
    expect(celCompiler('UTC')('row.constructor + row["toString"] + row.plain').evaluate(bindings)).toBe('abc')
    expect(celCompiler('UTC')('param.constructor + 1').evaluate(bindings)).toBe(2n)
    expect(celCompiler('UTC')('has(row.valueOf)').evaluate(bindings)).toBe(false)
  })
  const slice = { from: timestamp(Temporal.Instant.from('2026-11-21T23:00:00Z')) }
  it('writes times in the job’s zone, or in another that is named', () => {
    expect(value(`format(slice.from, 'yyyyMMdd')`, { slice })).toBe('20261122')
    expect(value(`format(slice.from, 'yyyyMMdd HH', 'UTC')`, { slice })).toBe('20261121 23')
  })
  it('gives integers, numbers, booleans, text and null as they are', () => {
    const row = celRow(
      { i: 3, n: 2.5, b: true, t: 'x', nothing: null, big: '9007199254740993' },
      { i: 'integer', n: 'number', b: 'boolean', t: 'text', big: 'integer' },
    )
    expect(['i', 'n', 'b', 't', 'nothing', 'big'].map((name) => value(`row.${name}`, { row }))).toEqual([
      3n,
      2.5,
      true,
      'x',
      null,
      9007199254740993n,
    ])
  })
  it('has the string functions of the published extension', () => {
    expect(value(`' Ab '.trim().lowerAscii() + 'a-b'.replace('-', '_')`)).toBe('aba_b')
  })
  it('knows which names it uses, and those that macros bind are its own', () => {
    const roots = compile(`row.list.map(x, x + param.p)`).references.map(
      ({ root, field }) => `${root}.${field}`,
    )
    expect(roots).toEqual(['row.list', 'param.p'])
  })
  it('says what a mistyped name should be', () => {
    const known = { row: ['district', 'kind'], slice: ['from', 'to'] }
    const say = (source: string) => unknownNames(compile(source), known).map(unknownNameText)
    expect(say('row.distrct')).toEqual(['row.distrct does not exist; did you mean row.district?'])
    expect(say('row["knd"]')).toEqual(['row.knd does not exist; did you mean row.kind?'])
    expect(say('rwo.kind')).toEqual(['rwo does not exist; did you mean row?'])
    expect(say('district')).toEqual(['district does not exist; did you mean row.district?'])
    expect(say('has(row.extra)')).toEqual([])
    expect(say('row.kind + string(slice.from)')).toEqual([])
  })
  it('places a syntax error', () => {
    try {
      compile('row.kind + ')
      expect.unreachable()
    } catch (error) {
      expect((error as FaultError).fault).toMatchObject({ code: 'syntax', where: { offset: 9 } })
    }
  })
})
