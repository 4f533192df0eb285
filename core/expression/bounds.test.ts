import { describe, expect, it } from 'vitest'
import { expressionBounds } from './bounds'
import { celCompiler, plainValue } from './cel'

const compile = celCompiler('UTC')
const value = (source: string, row: Record<string, string> = {}) =>
  plainValue(compile(source).evaluate({ row }))
const ten = '[0,1,2,3,4,5,6,7,8,9]'
/** So many lists of ten inside each other. */
const nested = (depth: number, macro = 'all', inner = 'true'): string =>
  Array.from({ length: depth }, (_, i) => `${ten}.${macro}(v${i}, `).join('') + inner + ')'.repeat(depth)

describe('the cost of an expression', () => {
  it('has room for what jobs do', () => {
    expect(value(nested(4))).toBe(true)
    expect(value(`${nested(4, 'map', '1')}.size()`)).toBe(10n)
  })
  it.each([
    ['all', nested(12)],
    ['map', `${nested(12, 'map', '1')}.size()`],
    ['filter', `${nested(12, 'filter', 'false')}.size()`],
    ['exists', nested(12, 'exists', 'false')],
    ['exists_one', nested(12, 'exists_one', 'true')],
    // an error that an or swallows is an answer all the same, and would be a false one
    ['a swallowed error', `${nested(12)} || true`],
    ['in a map', `{'a': ${nested(12)}}['a']`],
    ['as an argument', `size(string(${nested(12)}))`],
  ])('ends %s inside itself twelve times after so many rounds', (_name, source) =>
    expect(() => value(source)).toThrow(/cannot be worked out: it takes more than 100000 rounds/),
  )
  it('is counted anew each time', () => {
    const dear = compile(nested(4))
    for (let i = 0; i < 20; i++) expect(dear.evaluate({})).toBe(true)
  })
  it.each([
    [`'aaaaaaaaaa'${`.replace('a', 'aaaaaaaaaa')`.repeat(9)}`, /replace\(\) would make a text of up to/],
    [`row.long.replace('', row.long)`, /replace\(\) would make a text of up to/],
    [`row.long.split('').join(row.long)`, /join\(\) would make a text of up to/],
    [`'${'%s'.repeat(300)}'.format([row.long])`, /format\(\) would make a text of up to/],
    [`row.long.matches('${'a?'.repeat(2000)}')`, /matches\(\) of 5000 letters against a pattern of 4000/],
    [`int(row.digits)`, /is not from -9223372036854775808/],
  ])('refuses to make more than fits: %s', (source, says) =>
    expect(() => value(source, { long: 'a'.repeat(5000), digits: '9'.repeat(100_000) })).toThrow(says),
  )
  it('holds a text against a pattern in linear time, as RE2 does', () =>
    expect(value(`row.t.matches('^(a+)+$')`, { t: `${'a'.repeat(5000)}b` })).toBe(false))
  it.each([
    ['calls', `${'size('.repeat(3000)}'x'${')'.repeat(3000)}`],
    ['choices', `${'true ? 1 : ('.repeat(1200)}2${')'.repeat(1200)}`],
  ])('says what it cannot read: %s nested too deeply', (_name, source) => {
    // an answer, or a fault that places it: never the end of a stack
    const answer = () => plainValue(compile(source).evaluate({}))
    try {
      answer()
    } catch (error) {
      expect(error).toMatchObject({
        fault: { message: expect.stringMatching(/deeply|cannot be worked out/) },
      })
    }
  })
  it('reads expressions up to a length', () =>
    expect(() => compile(`'${'x'.repeat(expressionBounds.letters)}'`)).toThrow(
      'an expression has at most 20000 letters; this one has 20002',
    ))
  it('makes short words of long ones', () => {
    try {
      value(`int('${'x'.repeat(5000)}')`)
      expect.unreachable()
    } catch (error) {
      expect((error as Error).message.length).toBeLessThan(700)
    }
  })
})
