import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { connectionFacts } from '../engine/connectors/connections'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { startRun } from '../engine/running/runs'
import { startWorker, type Worker } from '../engine/queue/worker'
import { startSurvey } from '../engine/survey/survey'
import { fileJob, testBench, type TestBench } from './support/bench'
import { until } from './support/faults'

// A connection that needs tags is used by workers that have all of them, and by no other.

let bench: TestBench
const workers: Worker[] = []
const begin = async (tags: string[]) => {
  const worker = await startWorker(bench.engine, 2, { tags })
  workers.push(worker)
  return worker
}
beforeAll(async () => {
  bench = await testBench()
  await bench.rows('create schema raw')
  await bench.rows('create table raw.reading (meter text, value integer)')
  await bench.own(`update mattock.connection set needs = '{office,plant}' where name = 'drop'`)
  bench.writeFile('a.csv', 'meter,value\na,1\n')
})
afterAll(async () => {
  for (const worker of workers) await worker.stop()
  await bench.close()
})

const text = fileJob('reach', 'a.csv', '{connection: warehouse, table: raw.reading, write: append}')
const start = async (document: string) => {
  const { job } = await saveJob(bench.engine, document, { by: 'test' })
  const plan = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })
  return { plan: plan.id, run: await startRun(bench.engine, { plan: plan.id, by: 'test' }) }
}
const stateOf = async (run: number) =>
  (await bench.own('select state, worker from mattock.load where run_id = $1', [run]))[0]!

describe('a connection that needs tags', () => {
  it('is waited for, other loads go by; its loads are taken by a worker that has all of them, and only then', async () => {
    await begin([])
    await begin(['office'])
    const { run, plan } = await start(text)
    // what needs nothing goes on beside it
    const free = await start(`mattock: job/1\nname: free\ntitle: x\nparts:\n  - once:\n      - {id: one, sql: {on: warehouse, text: "insert into raw.reading values ('free', 0)"}}\n`) // prettier-ignore
    expect(await bench.ended(free.run)).toBe('done')
    expect((await stateOf(run)).state).toBe('waiting')
    const [found] = await bench.own('select findings from mattock.plan where id = $1', [plan])
    expect(
      (found!.findings as { code: string; message: string }[]).find(({ code }) => code === 'connection')!
        .message,
    ).toBe('no worker that is there reaches drop, which needs office and plant; its loads will wait for one')
    const able = await begin(['plant', 'office', 'coast'])
    expect(await bench.ended(run)).toBe('done')
    expect((await stateOf(run)).worker).toBe(able.id)
    expect((await connectionFacts(bench.engine, 'dev')).drop).toEqual({
      kind: 'files',
      cap: null,
      configured: true,
    })
  })

  it('is surveyed by such a worker, too', async () => {
    await bench.own(`update mattock.connection set needs = '{coast}' where name = 'drop'`)
    for (let i = 0; i < 3; i++) {
      const id = await startSurvey(bench.engine, {
        connection: 'drop',
        environment: 'dev',
        by: 'test',
        scope: { include: [], exclude: [], prefixes: [] } as never,
      })
      await until('the survey ended', async () => {
        const [row] = await bench.own('select state from mattock.survey where id = $1', [id])
        return !['waiting', 'running'].includes(row!.state as string)
      })
      const [row] = await bench.own('select state, worker from mattock.survey where id = $1', [id])
      expect(row).toMatchObject({ worker: workers[2]!.id })
    }
  })
})
