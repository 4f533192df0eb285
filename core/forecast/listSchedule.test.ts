import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { makespan, quantile } from './listSchedule'

describe('list scheduling (Graham, SIAM J. Appl. Math. 17, 1969)', () => {
  // the instance that meets the bound 2 − 1/m: m(m − 1) jobs of length 1, then one of length m; the optimum is m
  it.each([2, 3, 4, 8])('meets its bound with %i machines', (m) => {
    const jobs = [...Array<number>(m * (m - 1)).fill(1), m]
    expect(makespan(jobs, m)).toBe(2 * m - 1)
    expect(makespan([...jobs].reverse(), m)).toBe(m)
  })
  it('never exceeds the bound, nor falls below what no schedule can beat', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 100 }), { minLength: 1, maxLength: 60 }),
        fc.integer({ min: 1, max: 9 }),
        (jobs, m) => {
          const least = Math.max(Math.max(...jobs), jobs.reduce((a, b) => a + b, 0) / m)
          const length = makespan(jobs, m)
          expect(length).toBeGreaterThanOrEqual(least - 1e-9)
          expect(length).toBeLessThanOrEqual((2 - 1 / m) * least + 1e-9)
        },
      ),
    )
  })
  it('runs one after the other on one machine, and nothing in no time', () => {
    expect(makespan([3, 4, 5], 1)).toBe(12)
    expect(makespan([], 3)).toBe(0)
  })
})

// Hyndman and Fan (1996), definition 7: linear interpolation between closest ranks
it.each([
  [[1, 2, 3, 4], 0.5, 2.5],
  [[1, 2, 3, 4], 0.25, 1.75],
  [[5], 0.9, 5],
])('the quantile of %j at %d is %d', (values, p, expected) => expect(quantile(values, p)).toBe(expected))
