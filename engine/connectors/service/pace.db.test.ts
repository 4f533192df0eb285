import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { testBench, type TestBench } from '../../../tests/support/bench'
import { testService } from '../../../tests/support/service'
import { openEngine, type Engine } from '../../context/engine'
import { paceOf } from './pace'
import { servicePages } from './service'
import { service as definition } from '../../../core/connection/service'

let bench: TestBench
let other: Engine
beforeAll(async () => {
  bench = await testBench()
  // another process of the same installation has an engine of its own
  other = await openEngine(bench.url, bench.folder)
})
afterAll(async () => {
  await other.close()
  await bench.close()
})

describe('the pace of a service', () => {
  it('is kept by all processes together, however many ask at once', async () => {
    const asked = await Promise.all(
      Array.from({ length: 40 }, (_, i) => paceOf(i % 2 === 0 ? bench.engine : other)('http://a', 7)),
    )
    expect(asked.filter((wait) => wait === 0)).toHaveLength(7)
    const waits = asked.filter((wait) => wait > 0)
    expect(waits.every((wait) => wait > 50_000 && wait <= 60_000)).toBe(true)
  })

  it('is of one address, and goes on when its minute is over', async () => {
    expect(await paceOf(other)('http://b', 7)).toBe(0)
    expect(await paceOf(other)('http://a', 7)).toBeGreaterThan(0)
    await bench.own(
      `update mattock.pace set asked = array(select t - interval '61 seconds' from unnest(asked) t)`,
    )
    expect(await paceOf(other)('http://a', 7)).toBe(0)
  })

  it('says how long until the first of those asked is a minute old, where the limit was lowered', async () => {
    for (let i = 0; i < 5; i++) await paceOf(other)('http://c', 10)
    await bench.own(
      `update mattock.pace set asked = array(select clock_timestamp() - make_interval(secs => 10 * i) from generate_series(1, 5) i) where address = 'http://c'`,
    )
    // five in the last 50 s, three allowed: the third newest is 30 s old
    const wait = await paceOf(other)('http://c', 3)
    expect(wait).toBeGreaterThan(28_000)
    expect(wait).toBeLessThanOrEqual(30_000)
  })

  it('holds back the reading of pages, and says so meanwhile', async () => {
    const service = await testService((url) => {
      const page = Number(url.searchParams.get('page') ?? 1)
      return page > 3 ? [] : [{ page }]
    })
    try {
      const settings = definition.settings.parse({
        base: service.base,
        per_minute: 2,
        paging: 'page',
        endpoints: '/x',
      })
      const abort = new AbortController()
      const pauses: [string, number][] = []
      const opened = {
        name: 's',
        settings,
        secret: undefined,
        network: bench.engine.network,
        pace: paceOf(bench.engine),
      }
      const read = async () => {
        for await (const _ of servicePages(opened, '/x', {
          signal: abort.signal,
          onPause: (reason, pause) => {
            pauses.push([reason, pause])
            abort.abort()
          },
        }));
      }
      await expect(read()).rejects.toThrow()
      expect(service.asked).toHaveLength(2)
      expect(pauses).toEqual([['2 requests a minute are allowed', expect.any(Number)]])
    } finally {
      await service.close()
    }
  })
})
