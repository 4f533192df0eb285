import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { drainWorker, listWorkers } from '../engine/queue/workers'
import { startRun } from '../engine/running/runs'
import { testBench, type TestBench } from './support/bench'
import { until } from './support/faults'

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
})
afterAll(() => bench.close())

const job = (name: string, loads: number, sql: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {range: {from: 1, to: ${loads}}}, at_once: 8}
    do:
      - {id: work, sql: {on: warehouse, text: "${sql}, {row.value}"}}
`
async function start(document: string): Promise<number> {
  const { job: saved } = await saveJob(bench.engine, document, { by: 'test' })
  const { id } = await makePlan(bench.engine, { job: saved, environment: 'dev', parameters: {}, by: 'test' })
  return await startRun(bench.engine, { plan: id, by: 'test' })
}
const workersOf = async (run: number) =>
  (await bench.own('select distinct worker from mattock.load where run_id = $1', [run])).map(({ worker }) => Number(worker)) // prettier-ignore

describe('a worker that is drained', () => {
  it('ends what it has and takes nothing more until it may again', async () => {
    const one = await bench.worker(2)
    const begun = await start(job('long', 2, 'select pg_sleep(1)'))
    await until('it works', async () => (await listWorkers(bench.engine))[0]!.loads.length === 2)
    expect((await listWorkers(bench.engine))[0]).toMatchObject({ id: one.id, capacity: 2, silent: false, draining: false, loads: [{ run: begun, job: 'long', environment: 'dev', key: '1' }, { key: '2' }] }) // prettier-ignore
    await drainWorker(bench.engine, one.id, true)
    const waiting = await start(job('later', 6, 'select 1'))
    expect(await bench.ended(begun)).toBe('done')
    await new Promise((resolve) => setTimeout(resolve, 1500))
    expect(await bench.own(`select state, count(*)::int as n from mattock.load where run_id = $1 group by 1`, [waiting])).toEqual([{ state: 'waiting', n: 6 }]) // prettier-ignore
    const other = await bench.worker(2)
    expect(await bench.ended(waiting)).toBe('done')
    expect(await workersOf(waiting)).toEqual([other.id])
    await drainWorker(bench.engine, other.id, true)
    await drainWorker(bench.engine, one.id, false)
    const last = await start(job('last', 4, 'select 1'))
    expect(await bench.ended(last)).toBe('done')
    expect(await workersOf(last)).toEqual([one.id])
    await expect(drainWorker(bench.engine, 4711, true)).rejects.toThrow('there is no worker 4711 any more')
  })
})
