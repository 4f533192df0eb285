import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { median, modifiedZScore, unusual } from './usual'

/** Ten values with two that stand out: the example by which Iglewicz and Hoaglin show the measure (from memory). */
const values = [2.1, 2.6, 2.4, 2.5, 2.3, 2.1, 2.3, 2.6, 8.2, 8.3]

describe('far from usual', () => {
  it('is measured by the modified z-score: 0.6745 (x − median) / MAD, from 3.5 on (NIST/SEMATECH 1.3.5.17)', () => {
    // median 2.45; deviations .35 .15 .05 .05 .15 .35 .15 .15 5.75 5.85, of which .15 is the middle
    expect(median(values)).toBeCloseTo(2.45, 10)
    const scores = values.map((value) => modifiedZScore(value, values)!)
    expect(scores[8]).toBeCloseTo((0.6745 * 5.75) / 0.15, 8)
    expect(scores[0]).toBeCloseTo((0.6745 * -0.35) / 0.15, 8)
    expect(values.filter((_, at) => Math.abs(scores[at]!) > 3.5)).toEqual([8.2, 8.3])
  })
  it('where more than half are the same, by their mean deviation', () => {
    // median 10, MAD 0, mean deviation 4 / 5
    expect(modifiedZScore(14, [10, 10, 10, 10, 14])).toBeCloseTo(4 / (1.253314 * 0.8), 8)
    expect(modifiedZScore(11, [10, 10, 10])).toBe(Infinity)
    expect(modifiedZScore(9, [10, 10, 10])).toBe(-Infinity)
    expect(modifiedZScore(10, [10, 10, 10])).toBe(0)
    expect(modifiedZScore(10, [])).toBeUndefined()
  })
  it('says none, fewer or more, and nothing of what is nearly as always, or of what is hardly known', () => {
    const days = [1152, 1152, 1152, 1152, 1200, 1152, 1152]
    expect(unusual(0, days)).toBe('none')
    expect(unusual(400, days)).toBe('fewer')
    expect(unusual(2304, days)).toBe('more')
    // a day of 25 hours, or of 23
    expect(unusual(1200, days)).toBeUndefined()
    expect(unusual(1104, days)).toBeUndefined()
    expect(unusual(0, [5, 5, 5])).toBeUndefined()
    // one that often has none
    expect(unusual(0, [0, 4, 0, 9, 0, 3])).toBeUndefined()
  })
  it('does not depend on the order, nor on the unit', () => {
    fc.assert(
      fc.property(fc.array(fc.integer({ min: 1, max: 10_000 }), { minLength: 5, maxLength: 30 }), fc.integer({ min: 0, max: 30_000 }), (before, rows) => {
        const said = unusual(rows, before)
        expect(unusual(rows, [...before].reverse())).toBe(said)
        expect(unusual(rows * 1000, before.map((one) => one * 1000))).toBe(said)
        // the middle itself never stands out
        expect(unusual(median(before)!, before)).toBeUndefined()
      }),
    )
  }) // prettier-ignore
})
