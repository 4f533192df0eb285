import { afterAll, beforeAll, beforeEach, expect, it } from 'vitest'
import { testBench, type TestBench } from '../../tests/support/bench'
import { keepSpans } from '../alerts/spans'
import { saveJob } from '../jobs/versions'
import { makePlan } from '../planning/plan'
import { startRun } from '../running/runs'
import { notRun } from './notRun'

// A slice that is missing is missing until it is loaded, whatever was loaded after it.

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
})
afterAll(() => bench.close())
beforeEach(async () => {
  await bench.own('delete from mattock.matter_span')
  await bench.own('delete from mattock.run')
  // that of an environment that nobody has turned on yet
  await bench.own('delete from mattock.pause')
})

let now = ''
const at = async (time: string) => {
  now = time
  await bench.own('delete from mattock.shown_clock')
  await bench.own('insert into mattock.shown_clock (real, shown) values (clock_timestamp(), $1)', [time])
}
const save = (name: string, starts = '') =>
  saveJob(
    bench.engine,
    `mattock: job/1
name: ${name}
title: ${name}
slices: {every: P1D, zone: UTC, from: 2026-01-01}
${starts}parts:
  - each: {roster: {range: {from: 1, to: 2}}}
    do:
      - {id: a, log: {text: "{row.value}"}}
`,
    { by: 'test' },
  )
const load = async (job: string, day: string) => {
  const { id } = await makePlan(bench.engine, {
    job,
    environment: 'dev',
    parameters: {},
    by: 'test',
    span: day,
  })
  const run = await startRun(bench.engine, { plan: id, by: 'test' })
  await bench.own(
    `update mattock.load set state = 'done', started_at = mattock.clock(), ended_at = mattock.clock() where run_id = $1`,
    [run],
  )
  await bench.own(`update mattock.run set state = 'done' where id = $1`, [run])
}
/** What is missing, as the watch sees and keeps it. */
const look = async () => {
  const found = await notRun(bench.engine, 'dev', new Date(now))
  await keepSpans(bench.engine.db.$client, 'dev', found)
  return found.map(({ key, title, text }) => [key, title, text])
}

it('stands until the very slice is loaded', async () => {
  await save('daily')
  await at('2026-03-02T01:00:00Z')
  await load('daily', '2026-03-01')
  expect(await look()).toEqual([])
  await at('2026-03-03T01:00:00Z')
  expect(await look()).toEqual([
    [
      'not-run daily',
      'daily: 2026-03-02 is over and has not been loaded',
      'no run has taken this slice up yet',
    ],
  ])
  // the next one is loaded: it does not stand for the one before
  await at('2026-03-04T01:00:00Z')
  await load('daily', '2026-03-03')
  expect(await look()).toEqual([
    [
      'not-run daily',
      'daily: 2026-03-02 is over and has not been loaded',
      'no run has taken this slice up yet',
    ],
  ])
  await at('2026-03-05T01:00:00Z')
  expect(await look()).toEqual([
    [
      'not-run daily',
      'daily: 2 slices are over and have not been loaded',
      '2026-03-02 to 2026-03-04; no run has taken them up yet',
    ],
  ])
  await load('daily', '2026-03-02')
  expect((await look()).map(([, title]) => title)).toEqual([
    'daily: 2026-03-04 is over and has not been loaded',
  ])
  await load('daily', '2026-03-04')
  expect(await look()).toEqual([])
  expect(await bench.own(`select count(*)::int as n from mattock.matter_span where until is null`)).toEqual([
    { n: 0 },
  ])
})

it('names a pause as the reason where there is one', async () => {
  await save('held', 'starts: [{id: night, clock: {cron: "0 1 * * *", zone: UTC}}]\n')
  await at('2026-03-02T02:00:00Z')
  await load('held', '2026-03-01')
  await bench.own(
    `insert into mattock.pause (environment, job, "from", why, by, at) values ('dev', 'held', mattock.clock(), 'the plant stands still', 'Ana', mattock.clock())`,
  )
  await at('2026-03-03T02:00:00Z')
  expect((await look()).find(([key]) => key === 'not-run held')).toEqual([
    'not-run held',
    'held: 2026-03-02 is over and has not been loaded',
    'it is paused by Ana: the plant stands still',
  ])
})
