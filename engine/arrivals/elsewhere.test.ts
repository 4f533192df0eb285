import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { fitting } from './elsewhere'
import { hasWildcard, unescapeSegment, wildcardMatcher } from '../../core/store/pattern'

const patterns = [
  'in/flow_a_*.csv',
  'in/flow_a_2026.csv',
  'in/*_2026.csv',
  'flow?.csv',
  'in/sub/x\\*.csv',
  '*/y.csv',
  '*',
].map((path) => ({ store: 'drop', path }))
const fits = (path: string, store = 'drop') => fitting(patterns)({ store, path })

describe('a file and many patterns', () => {
  it('fit as they do one by one', () => {
    expect(['in/flow_a_1.csv', 'in/flow_a_2026.csv', 'in/b_2026.csv', 'flow1.csv', 'in/sub/x*.csv', 'up/y.csv', 'any'].map((path) => fits(path))).toEqual(Array(7).fill(true))
    expect(['in/flow_b_1.csv', 'in/sub/xy.csv', 'up/up/y.csv', 'in/sub/flow_a_1.csv', 'in/z'].map((path) => fits(path))).toEqual(Array(5).fill(false))
    expect(fits('any', 'other')).toBe(false)
    expect(fitting([])({ store: 'drop', path: 'any' })).toBe(false)
  })
  it('whatever they are called', () => {
    const name = fc.string({ unit: fc.constantFrom('a', 'b', '*', '?', '\\*', '/'), minLength: 1, maxLength: 6 })
    const alone = (pattern: string, path: string) => {
      const [segments, parts] = [pattern.split('/'), path.split('/')]
      return segments.length === parts.length && segments.every((segment, at) => (hasWildcard(pattern) ? wildcardMatcher(segment)(parts[at]!) : unescapeSegment(segment) === parts[at]))
    }
    fc.assert(
      fc.property(fc.array(name, { maxLength: 4 }), fc.string({ unit: fc.constantFrom('a', 'b', '/', '*'), maxLength: 6 }), (many, path) => {
        expect(fitting(many.map((one) => ({ store: 's', path: one })))({ store: 's', path })).toBe(many.some((one) => alone(one, path)))
      }),
    )
  })
}) // prettier-ignore
