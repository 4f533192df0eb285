import { hostname } from 'node:os'
import { existsSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it, vi } from 'vitest'
import { saveSettings } from '../engine/connectors/connections'
import { saveJob } from '../engine/jobs/versions'
import { rejectPlace, rowsToMend } from '../engine/mending/rows'
import { makePlan } from '../engine/planning/plan'
import { verifyRun } from '../engine/proof/verify'
import { startRun } from '../engine/running/runs'
import { fileJob, testBench, type TestBench } from './support/bench'
import { until } from './support/faults'
import { makeHosts, mayMakeNetworks, type Hosts } from './support/hosts'

vi.setConfig({ testTimeout: 240_000, hookTimeout: 120_000 })

// Workers on two hosts, each with a network and a data folder of its own. Where a machine may make no networks, takeover.test.ts and
// faults.test.ts have the same with processes that stand still.

describe.runIf(mayMakeNetworks())('workers on two hosts', () => {
  let bench: TestBench
  let net: Hosts
  beforeAll(async () => {
    bench = await testBench()
    net = await makeHosts(bench, ['weir', 'quay'])
    const at = new URL(bench.warehouseUrl)
    await saveSettings(
      bench.engine,
      'warehouse',
      'dev',
      {
        settings: { host: net.address, port: net.port, database: at.pathname.slice(1), user: at.username },
        secret: at.password,
      },
      'test',
    )
    await bench.rows('create table public.reading (meter text, value integer)')
    await bench.rows('create table public.source as select n as meter from generate_series(1, 6000) n')
    await bench.rows('create table public.copied (meter integer)')
  })
  afterAll(async () => {
    await net.close()
    await bench.close()
  })
  const start = async (document: string) => {
    const { job } = await saveJob(bench.engine, document, { by: 'test' })
    const { id } = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })
    return await startRun(bench.engine, { plan: id, by: 'test' })
  }
  const one = async (sql: string, values: unknown[]) => (await bench.own(sql, values))[0]!

  it('rejects of a worker elsewhere are seen and mended as any others', async () => {
    net.hosts[0]!.begin(2)
    bench.writeFile('a.csv', 'meter,value\na,1\nb,x\n')
    const run = await start(fileJob('rejects-home', 'a.csv', '{connection: warehouse, table: public.reading, write: append}', 'rejects: keep')) // prettier-ignore
    expect(await bench.ended(run)).toBe('done')
    const load = await one('select id::int as id from mattock.load where run_id = $1', [run])
    const file = join('rejects', String(run), `${load.id as number}-bring-in.csv`)
    expect(existsSync(join(net.hosts[0]!.folder, file))).toBe(true)
    expect(existsSync(join(bench.folder, file))).toBe(false)
    const place = await rejectPlace(bench.engine, run, load.id as number, 'bring-in')
    expect((await rowsToMend(place, [], 10)).rows).toMatchObject([{ line: 3, values: ['b', 'x'] }])
  })

  it('one is cut off in mid-load: the other does it, and when the first is back, each row is there once', async () => {
    // rows flow for some seconds, and only one worker is there to take the load
    const slow = `mattock: job/1
name: cut
title: cut
parts:
  - once:
      - id: bring-in
        transfer:
          from: {connection: warehouse, query: "select meter, pg_sleep(0.0002)::text as waited from public.source"}
          into: {connection: warehouse, table: public.copied, write: append, unknown_columns: ignore}
`
    const run = await start(slow)
    await until('the first has it', async () => (await one('select state from mattock.load where run_id = $1', [run])).state === 'running') // prettier-ignore
    const first = (await one('select worker from mattock.load where run_id = $1', [run])).worker
    await new Promise((resolve) => setTimeout(resolve, 1500))
    net.hosts[0]!.cut()
    net.hosts[1]!.begin(2)
    expect(await bench.ended(run)).toBe('done')
    const load = await one('select id::int as id, worker, attempt, written::int as written from mattock.load where run_id = $1', [run]) // prettier-ignore
    expect(load).toMatchObject({ attempt: 2, written: 6_000 })
    expect(load.worker).not.toBe(first)
    expect(
      await bench.own('select attempt, worker, host, why from mattock.load_attempt where load_id = $1', [
        load.id,
      ]),
    ).toEqual([{ attempt: 1, worker: first, host: hostname(), why: 'its worker ended' }])
    net.hosts[0]!.mend()
    // the first is heard of again, and what it says of the load is not taken
    await until('it is back', async () => Number((await one('select count(*) as n from mattock.worker where beat_at > clock_timestamp() - interval $$2 seconds$$', [])).n) >= 2) // prettier-ignore
    await new Promise((resolve) => setTimeout(resolve, 4000))
    expect(await bench.rows('select count(*)::int as n, count(distinct meter)::int as d from public.copied')).toEqual([{ n: 6_000, d: 6_000 }]) // prettier-ignore
    for await (const proof of verifyRun(bench.engine, run, new AbortController().signal))
      expect(proof).toMatchObject({ holds: true, written: 6_000, found: 6_000 })
    expect((await one('select state from mattock.run where id = $1', [run])).state).toBe('done')
  })
})
