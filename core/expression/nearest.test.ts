import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { editDistance, nearestName } from './nearest'

describe('edit distance', () => {
  // kitten/sitting and Saturday/Sunday: the standard worked examples of Wagner and Fischer's recurrence; ca/ac: one swap (Damerau 1964)
  it.each([
    ['kitten', 'sitting', 3],
    ['saturday', 'sunday', 3],
    ['ca', 'ac', 1],
    ['', 'abc', 3],
  ])('%s to %s is %i', (a, b, distance) => expect(editDistance(a, b)).toBe(distance))
  it('is a symmetric measure that is 0 for equals only', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 12 }), fc.string({ maxLength: 12 }), (a, b) => {
        expect(editDistance(a, b)).toBe(editDistance(b, a))
        expect(editDistance(a, b) === 0).toBe(a === b)
        expect(editDistance(a, b)).toBeLessThanOrEqual(Math.max(a.length, b.length))
      }),
    )
  })
  it('finds the likeliest name, and none where nothing is near', () => {
    expect(nearestName('distrct', ['kind', 'district', 'target'])).toBe('district')
    expect(nearestName('zzz', ['kind', 'district'])).toBeUndefined()
  })
})
