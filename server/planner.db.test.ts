import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest'
import type { OutlookAsk } from '../engine/scheduling/outlook'
import { pauseStarts } from '../engine/scheduling/pauses'
import { testBench, type TestBench } from '../tests/support/bench'
import { lookOf } from './planner'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
})
afterAll(() => bench.close())

let worked: OutlookAsk[] = []
let answer: () => Promise<unknown>
beforeEach(() => {
  worked = []
  answer = () => Promise.resolve({ number: worked.length })
})
const look = (person: number, more: Partial<OutlookAsk> = {}) => {
  const asked = {
    engine: bench.engine,
    account: { id: person },
    response: { once: () => undefined },
    options: {
      planner: { ask: (_who: unknown, _kind: string, ask: OutlookAsk) => (worked.push(ask), answer()) },
    },
  }
  const from = Date.now()
  return lookOf(asked as never, {
    environment: 'dev',
    from: new Date(from).toISOString(),
    until: new Date(from + 3_600_000).toISOString(),
    ...more,
  })
}

it('is worked out once for all who ask for it within some seconds', async () => {
  const all = await Promise.all(
    [look(1), look(2)].concat(await look(3).then((one) => [Promise.resolve(one)])),
  )
  // two that ask at the very same moment may both begin it
  expect(worked.length).toBeLessThanOrEqual(2)
  expect(all).toHaveLength(3)
  const before = worked.length
  await Promise.all([look(4), look(5), look(1)])
  expect(worked).toHaveLength(before)
})

it.each([
  ['another environment', { environment: 'live' }],
  ['other workers', { workers: 40 }],
  ['other caps', { caps: { books: 3 } }],
  ['another span', { until: new Date(Date.now() + 7_200_000).toISOString() }],
  ['a start that is moved', { moved: [{ job: 'a', start: 'b', given: {} }] }],
])('is another for %s', async (_what, more) => {
  await look(1)
  const before = worked.length
  await look(1, more)
  expect(worked).toHaveLength(before + 1)
})

it('is worked out anew where what it goes by was changed: a pause, a run, a clock', async () => {
  await look(1, { workers: 1 })
  const counts: number[] = []
  for (const change of [
    () =>
      pauseStarts(bench.engine, {
        environment: 'dev',
        from: new Date().toISOString(),
        until: null,
        why: 'upkeep',
        by: 'test',
      } as never),
    () =>
      bench.own(`insert into mattock.shown_clock (real, shown) values (now(), now() + interval '1 second')`),
  ]) {
    await change()
    const before = worked.length
    await look(1, { workers: 1 })
    await look(2, { workers: 1 })
    counts.push(worked.length - before)
  }
  expect(counts).toEqual([1, 1])
})

it('that failed is not kept', async () => {
  answer = () => Promise.reject(new Error('it was stopped'))
  await expect(look(1, { workers: 7 })).rejects.toThrow('it was stopped')
  answer = () => Promise.resolve({ fine: true })
  expect(await look(1, { workers: 7 })).toEqual({ fine: true })
})
