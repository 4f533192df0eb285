import fc from 'fast-check'
import { readFileSync } from 'node:fs'
import { describe, expect, it } from 'vitest'
import { quantile } from './quantile'
import { busy, play, type Queue } from './simulate'

/** Tasks on some machines, in the order of a list. */
function schedule(durations: readonly number[], machines: number, after?: readonly (readonly number[])[]) {
  const queue: Queue = {
    durations,
    sets: durations.map(() => 0),
    laneSets: [[0]],
    ...(after ? { after } : {}),
  }
  return play(queue, [machines])
}

const makespan = (durations: readonly number[], machines: number): number =>
  schedule(durations, machines).length

/**
 * R. L. Graham, "Bounds on Multiprocessing Timing Anomalies", SIAM J. Appl. Math. 17(2), 1969: the example of nine
 * tasks (quoted from memory). T1 comes before T9, T4 before T5 to T8.
 */
describe('the anomalies of list scheduling (Graham 1969)', () => {
  const times = [3, 2, 2, 2, 4, 4, 4, 4, 9]
  const before: [number, number][] = [[1, 9], [4, 5], [4, 6], [4, 7], [4, 8]] // prettier-ignore
  const length = (order: readonly number[], lengths: readonly number[], machines: number, edges = before) => {
    const place = new Map(order.map((task, i) => [task, i]))
    const after = order.map((task) => edges.filter(([, to]) => to === task).map(([from]) => place.get(from)!))
    const durations = order.map((task) => lengths[task - 1]!)
    return schedule(durations, machines, after).length
  }
  const list = [1, 2, 3, 4, 5, 6, 7, 8, 9]
  it('takes 12 on three machines', () => expect(length(list, times, 3)).toBe(12))
  it('takes longer, 14, by another list', () =>
    expect(length([1, 2, 4, 5, 6, 3, 9, 7, 8], times, 3)).toBe(14))
  it('takes longer, 15, on four machines', () => expect(length(list, times, 4)).toBe(15))
  it('takes longer, 13, where each task is shorter by one', () =>
    expect(
      length(
        list,
        times.map((time) => time - 1),
        3,
      ),
    ).toBe(13))
  it('takes longer, 16, where fewer tasks wait for others', () =>
    expect(length(list, times, 3, before.filter(([from, to]) => !(from === 4 && (to === 5 || to === 6))))).toBe(16)) // prettier-ignore
})

describe('list scheduling (Graham, SIAM J. Appl. Math. 17, 1969)', () => {
  // the instance that meets the bound 2 − 1/m: m(m − 1) jobs of length 1, then one of length m; the optimum is m
  it.each([2, 3, 4, 8])('meets its bound with %i machines', (m) => {
    const jobs = [...Array<number>(m * (m - 1)).fill(1), m]
    expect(makespan(jobs, m)).toBe(2 * m - 1)
    expect(makespan([...jobs].reverse(), m)).toBe(m)
  })
  it('never exceeds the bound, nor falls below what no schedule can beat, with tasks that wait for others too', () => {
    const graph = fc.array(
      fc.tuple(fc.integer({ min: 1, max: 100 }), fc.array(fc.nat(1000), { maxLength: 3 })),
      {
        minLength: 1,
        maxLength: 60,
      },
    )
    fc.assert(
      fc.property(graph, fc.integer({ min: 1, max: 9 }), (tasks, m) => {
        const durations = tasks.map(([duration]) => duration)
        // each waits for some of those before it
        const after = tasks.map(([, picks], i) =>
          i === 0 ? [] : [...new Set(picks.map((pick) => pick % i))],
        )
        const path: number[] = []
        durations.forEach((duration, i) =>
          path.push(duration + Math.max(0, ...after[i]!.map((j) => path[j]!))),
        )
        const least = Math.max(Math.max(...path), durations.reduce((a, b) => a + b, 0) / m)
        const { length, starts, ends } = schedule(durations, m, after)
        expect(length).toBeGreaterThanOrEqual(least - 1e-9)
        expect(length).toBeLessThanOrEqual((2 - 1 / m) * least + 1e-9)
        after.forEach((list, i) => list.forEach((j) => expect(starts[i]).toBeGreaterThanOrEqual(ends[j]!)))
      }),
    )
  })
  it('runs one after the other on one machine, and nothing in no time', () => {
    expect(makespan([3, 4, 5], 1)).toBe(12)
    expect(makespan([], 3)).toBe(0)
  })
})

describe('critical paths (networkx 3.6.1, tests/references/schedule.py)', () => {
  const { cases } = JSON.parse(
    readFileSync(new URL('../../tests/references/schedule.json', import.meta.url), 'utf8'),
  ) as { cases: { durations: number[]; after: number[][]; criticalPath: number; total: number }[] }
  it('is the length where machines never run out, and the sum of all is that of one machine', () => {
    for (const { durations, after, criticalPath, total } of cases) {
      expect(schedule(durations, Infinity, after).length).toBe(criticalPath)
      expect(schedule(durations, 1, after).length).toBe(total)
    }
    expect(cases).toHaveLength(40)
  })
})

describe('queues with several caps', () => {
  it('starts what fits past what waits for a full lane', () => {
    // lane 0 has two places; the first two items also need lane 1, which has one
    const queue: Queue = { durations: [4, 4, 1], sets: [0, 0, 1], laneSets: [[0, 1], [0]] }
    const { starts, length, waits } = play(queue, [2, 1])
    expect([...starts]).toEqual([0, 4, 0])
    expect(length).toBe(8)
    // the second waits for lane 0 while the third holds its last place, then for lane 1
    expect([...waits]).toEqual([1, 3])
  })
  it('holds a stage back until the one before it is done, and calls what is left then a tail', () => {
    const queue: Queue = {
      durations: [1, 5, 2, 2],
      sets: [0, 0, 0, 0],
      laneSets: [[0]],
      stages: [0, 0, 1, 1],
    }
    const { starts, length, tail } = play(queue, [4])
    expect([...starts]).toEqual([0, 0, 5, 5])
    expect([length, tail]).toEqual([7, 7])
  })
  it('never has more at work than places, whatever the queue', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.integer({ min: 1, max: 9 }), fc.nat(2)), { minLength: 1, maxLength: 50 }),
        fc.tuple(fc.integer({ min: 1, max: 4 }), fc.integer({ min: 1, max: 3 })),
        (items, [first, second]) => {
          const laneSets = [[0], [1], [0, 1]]
          const durations = items.map(([duration]) => duration)
          const sets = items.map(([, set]) => set)
          const { starts, ends, length, waits, tail } = play({ durations, sets, laneSets }, [first, second])
          for (let at = 0; at < length; at++)
            for (const [lane, most] of [first, second].entries()) {
              const held = items.filter(
                (_, i) => starts[i]! <= at && ends[i]! > at && laneSets[sets[i]!]!.includes(lane),
              )
              expect(held.length).toBeLessThanOrEqual(most)
            }
          // every moment is put down to a lane that is full, or to the tail
          expect(waits[0]! + waits[1]! + tail).toBeCloseTo(length, 9)
        },
      ),
    )
  })
  it('draws how many run at once; the area under it is the work', () => {
    const played = schedule([2, 2, 4], 2)
    const drawn = busy(played, 3)
    expect(drawn).toEqual([2, 1, 1])
    expect(drawn.reduce((sum, value) => sum + value, 0) * (played.length / 3)).toBeCloseTo(8, 9)
    expect(busy(schedule([], 2), 4)).toEqual([0, 0, 0, 0])
  })
})

// Hyndman and Fan (1996), definition 7: linear interpolation between closest ranks
it.each([
  [[1, 2, 3, 4], 0.5, 2.5],
  [[1, 2, 3, 4], 0.25, 1.75],
  [[5], 0.9, 5],
])('the quantile of %j at %d is %d', (values, p, expected) => expect(quantile(values, p)).toBe(expected))
