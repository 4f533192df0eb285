import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { quantile } from '../forecast/quantile'
import { randomStream } from '../forecast/random'
import { addCounts, balances, difference, noRows, type Counts } from './balance'

const counts: fc.Arbitrary<Counts> = fc.record({
  read: fc.nat(1e6),
  written: fc.nat(1e6),
  unchanged: fc.nat(1e6),
  rejected: fc.nat(1e6),
  filtered: fc.nat(1e6),
  merged: fc.nat(1e6),
})

describe('the balance', () => {
  it('holds where every row is accounted for, and only there', () => {
    fc.assert(
      fc.property(counts, (of) => {
        const even = { ...of, read: of.written + of.unchanged + of.rejected + of.filtered + of.merged }
        expect(balances(even)).toBe(true)
        for (const what of ['read', 'written', 'unchanged', 'rejected', 'filtered', 'merged'] as const)
          expect(balances({ ...even, [what]: even[what] + 1 })).toBe(false)
      }),
    )
  })

  it('of a sum is the sum of the balances', () => {
    fc.assert(
      fc.property(counts, counts, (a, b) => {
        expect(difference(addCounts(a, b))).toBe(difference(a) + difference(b))
        expect(addCounts(a, noRows)).toEqual(a)
        expect(addCounts(a, b)).toEqual(addCounts(b, a))
      }),
    )
  })
})

describe('a quantile', () => {
  // R’s type 7 (Hyndman and Fan, 1996): the closed form for 1 … n is 1 + (n − 1) p
  it.each([
    [0, 1],
    [0.25, 3.25],
    [0.5, 5.5],
    [0.9, 9.1],
    [1, 10],
  ])('of 1 to 10 at %d is %d', (p, value) => {
    expect(
      quantile(
        Array.from({ length: 10 }, (_, i) => 10 - i),
        p,
      ),
    ).toBeCloseTo(value, 12)
  })

  it('lies between the least and the most, and grows', () => {
    const number = fc.double({ noNaN: true, min: -1e9, max: 1e9 })
    fc.assert(
      fc.property(
        fc.array(number, { minLength: 1 }),
        fc.double({ min: 0, max: 1, noNaN: true }),
        (values, p) => {
          const at = quantile(values, p)
          expect(at).toBeGreaterThanOrEqual(Math.min(...values))
          expect(at).toBeLessThanOrEqual(Math.max(...values) + 1e-6)
          expect(quantile(values, 1)).toBeGreaterThanOrEqual(at - 1e-6)
        },
      ),
    )
    expect(quantile([], 0.5)).toBeNaN()
  })
})

describe('a stream of random numbers', () => {
  it('is the same for the same seed, within [0, 1), and even enough', () => {
    const [a, b, other] = [randomStream(7), randomStream(7), randomStream(8)]
    const first = Array.from({ length: 1000 }, a)
    expect(Array.from({ length: 1000 }, b)).toEqual(first)
    expect(Array.from({ length: 1000 }, other)).not.toEqual(first)
    expect(first.every((n) => n >= 0 && n < 1)).toBe(true)
    const mean = first.reduce((sum, n) => sum + n, 0) / 1000
    // four standard errors of a mean of 1,000 even numbers: 4 / sqrt(12,000)
    expect(Math.abs(mean - 0.5)).toBeLessThan(0.0366)
  })
})
