import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { stopRun } from '../engine/running/controls'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import type { Worker } from '../engine/queue/worker'
import { startRun } from '../engine/running/runs'
import { testBench, type TestBench } from './support/bench'
import { until } from './support/faults'

// Surveys as steps of a job, on a real store with a real worker.

let bench: TestBench
let worker: Worker
beforeAll(async () => {
  bench = await testBench()
  worker = await bench.worker(2)
})
afterAll(() => bench.close())

let jobs = 0
const document = (what: string) => `
mattock: job/1
name: look-${++jobs}
title: Look
parts:
  - once:
      - {id: look, survey: {on: drop, ${what}}}
      - {id: tell, log: {text: '{step["look"].value.new} new, {step["look"].value.waiting} waiting'}}
`
const told = async (run: number) =>
  (await bench.own(`select log from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1 and step = 'tell'`, [run]))[0]?.log // prettier-ignore
const datasets = async () =>
  (await bench.own(`select name from mattock.dataset where environment = 'dev' order by 1`)).map(({ name }) => name as string) // prettier-ignore

describe('a survey as a step', () => {
  it('leaves what it finds to a person, takes it in by rules, or all of it', async () => {
    bench.writeFile('flow/flow_20260101.csv', 'id,v\n1,2\n')
    bench.writeFile('level/level_20260101.csv', 'id,v\n1,2\n')
    expect(await told(await bench.load(document('include: [flow], accept: nothing')))).toEqual(['1 new, 1 waiting']) // prettier-ignore
    expect(await datasets()).toEqual([])
    expect(await told(await bench.load(document('include: [flow]')))).toEqual(['1 new, 0 waiting'])
    expect(await datasets()).toHaveLength(1)
    bench.writeFile('flow/flow_20260102.csv', 'id,v,w\n1,2,3\n')
    await bench.load(document('accept: all'))
    expect(await datasets()).toHaveLength(2)
    expect(await told(await bench.load(document('accept: rules')))).toEqual(['0 new, 0 waiting'])
  })

  it('waits for another survey of the same connection, and is stopped with its run', async () => {
    // one that a worker works on, and that does not end
    const [{ id: survey }] = (await bench.own(
      `insert into mattock.survey (environment, connection, scope, by, state, worker) values ('dev', 'drop', '{}', 'ana', 'running', $1) returning id`,
      [worker.id],
    )) as [{ id: number }]
    const { job } = await saveJob(bench.engine, document('accept: all'), { by: 'test' })
    const { id } = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })
    const run = await startRun(bench.engine, { plan: id, by: 'test' })
    await until('it waits', async () => (await bench.own('select waits_for from mattock.load where run_id = $1', [run]))[0]!.waits_for === 'another survey of drop') // prettier-ignore
    await stopRun(bench.engine, run)
    expect(await bench.ended(run)).toBe('stopped')
    await bench.own(`update mattock.survey set state = 'stopped' where id = $1`, [survey])
    expect(await bench.own('select count(*)::int as n from mattock.survey where called_by_load in (select id from mattock.load where run_id = $1)', [run])).toEqual([{ n: 0 }]) // prettier-ignore
  })

  it('fails with the survey', async () => {
    await bench.own(`insert into mattock.connection (name, kind, title) values ('away', 'postgres', 'Away')`)
    const { saveSettings } = await import('../engine/connectors/connections')
    await saveSettings(bench.engine, 'away', 'dev', { settings: { host: '127.0.0.1', port: 1, database: 'x', user: 'x' }, secret: 'x' }, 'test') // prettier-ignore
    const run = await bench.load(document('accept: all').replace('on: drop', 'on: away'))
    const [load] = await bench.own('select state, error from mattock.load where run_id = $1', [run])
    expect(load).toMatchObject({ state: 'failed', error: { code: 'survey', message: expect.stringContaining('of away failed') } }) // prettier-ignore
  })
})
