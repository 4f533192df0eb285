import fc from 'fast-check'
import { describe, expect, it } from 'vitest'
import { forecast, type Caps, type Workload } from './forecast'

function work(count: number, given: Partial<Workload> = {}): Workload {
  return {
    part: Array<number>(count).fill(0),
    likeOf: Array<number>(count).fill(0),
    usesOf: Array<number>(count).fill(0),
    like: [[10, 10, 10]],
    any: [10],
    connections: [['warehouse']],
    ...given,
  }
}
const caps = (given: Partial<Caps> = {}): Caps => ({
  atOnce: { 0: 4, 1: 4 },
  workers: 100,
  connections: { warehouse: null },
  ...given,
})

describe('the forecast', () => {
  it('is the length of the rounds where all loads take the same', () => {
    const found = forecast(work(12), caps())!
    expect([found.seconds, found.low, found.high, found.known]).toEqual([30, 30, 30, 1])
  })
  it('names the cap that holds it up', () => {
    expect(forecast(work(12), caps())!.limits[0]).toMatchObject({ kind: 'at-once', name: '0' })
    expect(forecast(work(12), caps({ connections: { warehouse: 2 } }))!.limits[0]).toMatchObject({ kind: 'connection', name: 'warehouse' }) // prettier-ignore
    expect(forecast(work(12), caps({ workers: 1 }))!.limits[0]).toMatchObject({ kind: 'workers' })
  })
  it('names one long load where the others wait for it', () => {
    const found = forecast(
      work(5, {
        likeOf: [0, 0, 0, 0, 1],
        like: [
          [1, 1, 1],
          [100, 100, 100],
        ],
      }),
      caps({ atOnce: { 0: 8 } }),
    )!
    expect(found.limits[0]).toMatchObject({ kind: 'long-load' })
    expect(found.limits[0]!.share).toBeGreaterThan(0.95)
  })
  it('lets a part wait for the one before it', () => {
    const found = forecast(work(2, { part: [0, 1] }), caps())!
    expect(found.seconds).toBe(20)
  })
  it('spreads as the history does', () => {
    const { seconds, low, high } = forecast(work(1, { like: [[10, 20, 30]] }), caps())!
    expect([low, seconds, high]).toEqual([10, expect.any(Number), 30])
  })
  it('needs no more memory where each load is of a kind of its own, and none was loaded three times', () => {
    const kinds = 50_000
    const any = Array.from({ length: 2_000 }, (_, i) => i + 1)
    const wide = work(kinds, { likeOf: Array.from({ length: kinds }, (_, i) => i), like: Array.from({ length: kinds }, () => [5]), any }) // prettier-ignore
    const before = process.memoryUsage().heapUsed
    const { known, seconds } = forecast(wide, caps())!
    // with a list of its own for each kind it were 800 MB
    expect(process.memoryUsage().heapUsed - before).toBeLessThan(200e6)
    expect(known).toBe(1)
    // the mean of 1 to 2,000 and once 5 is about 1,000; four run at once
    expect(seconds / ((kinds * 1_000) / 4)).toBeCloseTo(1, 1)
  })
  it('takes all loads’ lengths where a row was loaded less than three times, and says how much it knows', () => {
    const found = forecast(work(2, { likeOf: [0, 1], like: [[10], []], any: [10] }), caps())!
    expect(found.known).toBe(0.5)
    expect(forecast(work(2, { any: [] }), caps())).toBeNull()
    expect(forecast(work(0), caps())).toBeNull()
  })
  it('is the same for the same plan, and never shorter than the work divided by the caps allows', () => {
    fc.assert(
      fc.property(
        fc.integer({ min: 1, max: 60 }),
        fc.array(fc.integer({ min: 1, max: 50 }), { minLength: 3, maxLength: 8 }),
        fc.integer({ min: 1, max: 6 }),
        (count, lengths, atOnce) => {
          const given = work(count, { like: [lengths], any: lengths })
          const found = forecast(given, caps({ atOnce: { 0: atOnce } }))!
          expect(found).toEqual(forecast(given, caps({ atOnce: { 0: atOnce } })))
          expect(found.low).toBeGreaterThanOrEqual((Math.min(...lengths) * count) / atOnce - 1e-9)
          expect(found.high).toBeLessThanOrEqual(Math.max(...lengths) * Math.ceil(count / atOnce) + 1e-9)
          expect(Math.max(...found.running)).toBeLessThanOrEqual(atOnce + 1e-9)
        },
      ),
      { numRuns: 40 },
    )
  })
})
