import { spawn, type ChildProcess } from 'node:child_process'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { endChild } from '../cli/keep'
import { makePlan } from '../engine/planning/plan'
import { startRun, rerun } from '../engine/running/runs'
import { stopRun } from '../engine/running/controls'
import { saveJob } from '../engine/jobs/versions'
import { fileJob, testBench, type TestBench } from './support/bench'
import { until } from './support/faults'
import { pace } from './support/pace'

let bench: TestBench
const children: ChildProcess[] = []
beforeAll(async () => {
  bench = await testBench()
})
afterAll(async () => {
  await Promise.all(children.map((child) => endChild(child, 0)))
  await bench.close()
})

/** A worker as a process of its own, from what is built. */
function workerProcess(): ChildProcess {
  const child = spawn(
    process.execPath,
    [join(import.meta.dirname, '../dist/main.js'), 'worker', '--data', bench.folder, '--capacity', '2'],
    {
      env: { ...process.env, DATABASE_URL: bench.url, UV_THREADPOOL_SIZE: '64' },
      stdio: 'ignore',
    },
  )
  children.push(child)
  return child
}

async function begin(document: string): Promise<number> {
  const { job } = await saveJob(bench.engine, document, { by: 'test' })
  const { id } = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })
  return await startRun(bench.engine, { plan: id, by: 'test' })
}

const rowCount = 1_200_000
const copying = async () =>
  (
    await bench.rows(
      `select 1 from pg_stat_activity where datname = current_database() and query ilike 'copy %' and state = 'active'`,
    )
  ).length > 0

describe('a worker that is killed in the middle of a load', () => {
  it('is followed by another within 30 s, and the target holds each row exactly once', async () => {
    const lines = Array.from(
      { length: rowCount },
      (_, i) => `${i},${i % 977},name ${i % 31},${(i % 1000) / 8}`,
    )
    bench.writeFile('big.csv', `id,n,name,share\n${lines.join('\n')}\n`)
    await bench.rows(
      'create table public.big (id bigint primary key, n int, name text, share double precision)',
    )
    const first = workerProcess()
    const run = await begin(
      fileJob('big', 'big.csv', '{connection: warehouse, table: public.big, write: append}'),
    )
    await until('the copy begins', copying)
    first.kill('SIGKILL')
    const killed = Date.now()
    expect(await bench.rows('select count(*) from public.big')).toEqual([{ count: 0 }])
    workerProcess()
    await until(
      'another takes it',
      async () =>
        (await bench.own('select 1 from mattock.load where run_id = $1 and attempt = 2', [run])).length > 0,
    )
    expect(Date.now() - killed).toBeLessThan(30_000 * pace())
    expect(await bench.ended(run)).toBe('done')
    expect(
      await bench.rows('select count(*), count(distinct id) as ids, sum(n)::bigint as sum from public.big'),
    ).toEqual([{ count: rowCount, ids: rowCount, sum: lines.reduce((sum, _, i) => sum + (i % 977), 0) }])
    expect(
      await bench.own('select state, attempt, read, written from mattock.load where run_id = $1', [run]),
    ).toEqual([{ state: 'done', attempt: 2, read: rowCount, written: rowCount }])
  })

  it('does nothing again where the first attempt had taken effect before it died', async () => {
    bench.writeFile('once.csv', 'v\n1\n2\n')
    await bench.rows('create table public.once (v int)')
    const run = await begin(
      fileJob('effect-once', 'once.csv', '{connection: warehouse, table: public.once, write: append}'),
    )
    await bench.ended(run)
    // as if the worker had died between the commit in the target and the word to the store
    await bench.own(
      `update mattock.load set state = 'running', worker = 0, ended_at = null where run_id = $1`,
      [run],
    )
    await bench.own('delete from mattock.load_step where load_id in (select id from mattock.load where run_id = $1)', [run]) // prettier-ignore
    await bench.own(`update mattock.run_part set state = 'running', ended_at = null, done = 0, running = 1, read = 0, written = 0 where run_id = $1`, [run]) // prettier-ignore
    await bench.own(`update mattock.run set state = 'running', ended_at = null where id = $1`, [run])
    await bench.own(`select mattock.take_over('15 seconds')`)
    expect(await bench.ended(run)).toBe('done')
    expect(await bench.rows('select v from public.once order by v')).toEqual([{ v: 1 }, { v: 2 }])
    const [step] = await bench.own(
      'select s.log, l.attempt, l.written from mattock.load_step s join mattock.load l on l.id = s.load_id where l.run_id = $1',
      [run],
    )
    expect(step).toMatchObject({
      attempt: 2,
      written: 2,
      log: ['an earlier attempt had taken effect; it was not done again'],
    })
  })
})

describe('a stop', () => {
  it('breaks off what runs and rolls it back, and a rerun does what was not done', async () => {
    await bench.rows('create table public.stopped (id bigint, n int, name text, share double precision)')
    const run = await begin(
      fileJob('stopped', 'big.csv', '{connection: warehouse, table: public.stopped, write: append}'),
    )
    await until('the copy begins', copying)
    await stopRun(bench.engine, run)
    expect(await bench.ended(run)).toBe('stopped')
    expect(await bench.rows('select count(*) from public.stopped')).toEqual([{ count: 0 }])
    const again = await rerun(bench.engine, run, { by: 'test' })
    expect(await bench.ended(again)).toBe('done')
    expect(await bench.rows('select count(*) from public.stopped')).toEqual([{ count: rowCount }])
    await expect(rerun(bench.engine, again, { by: 'test' })).rejects.toThrow(/no load failed/)
    await expect(stopRun(bench.engine, again)).rejects.toThrow(/not running/)
  })
})

describe('caps', () => {
  it('lets no more loads use a connection at once than it allows, over all runs', async () => {
    await bench.own(`update mattock.connection set cap = 2 where name = 'warehouse'`)
    const job = (name: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {range: {from: 1, to: 12}}, at_once: 8}
    do:
      - id: wait
        sql: {on: warehouse, text: "select pg_sleep(0.05), {row.value}"}
`
    workerProcess()
    const runs = await Promise.all([begin(job('caps-a')), begin(job('caps-b'))])
    let most = 0
    for (;;) {
      const [now] = await bench.own(
        `select count(*) filter (where state in ('ready', 'running')) as busy, count(*) filter (where state = 'waiting') as waiting from mattock.load where run_id = any ($1)`,
        [runs],
      )
      most = Math.max(most, now!.busy as number)
      if (now!.busy === 0 && now!.waiting === 0) break
    }
    expect(most).toBe(2)
    expect(
      await bench.own(`select state, count(*) from mattock.load where run_id = any ($1) group by 1`, [runs]),
    ).toEqual([{ state: 'done', count: 24 }])
  })
})

describe('parts', () => {
  it('run one after the other, and what follows a failure is skipped', async () => {
    const job = `
mattock: job/1
name: parts
title: Parts
parts:
  - once:
      - {id: make, sql: {on: warehouse, text: "create table public.parts (v int)"}}
  - each: {roster: {rows: [{v: 1}, {v: 0}, {v: 2}]}}
    do:
      - {id: put, sql: {on: warehouse, text: "insert into public.parts values (10 / {row.v})"}}
  - once:
      - {id: after, sql: {on: warehouse, text: "insert into public.parts values (99)"}}
`
    const run = await begin(job)
    expect(await bench.ended(run)).toBe('failed')
    expect(
      await bench.own('select part, state, cause from mattock.load where run_id = $1 order by number', [run]),
    ).toEqual([
      { part: 0, state: 'done', cause: null },
      { part: 1, state: 'done', cause: null },
      { part: 1, state: 'failed', cause: 'division by zero' },
      { part: 1, state: 'done', cause: null },
      { part: 2, state: 'skipped', cause: 'a part before this one failed' },
    ])
    expect((await bench.rows('select v from public.parts order by v')).map(({ v }) => v)).toEqual([5, 10])
  })
})
