import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { setAside } from '../engine/running/controls'
import { rerun, rerunOutlook, startRun } from '../engine/running/runs'
import { testBench, type TestBench } from './support/bench'
import { until } from './support/faults'

// What a rerun does again and what it keeps, on a real store with a real worker.

let bench: TestBench
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(2)
  await bench.rows('create schema raw')
})
beforeEach(async () => {
  await bench.rows('drop table if exists raw.source, raw.staged, raw.report, raw.told, public.ready')
  await bench.rows('create table raw.source as select n as meter from generate_series(1, 5) n')
  await bench.rows('create table raw.staged (feed integer, meter integer)')
  await bench.rows('create table raw.report (meters integer, top integer)')
  await bench.rows('create table raw.told (word text)')
  await bench.rows('create table public.ready (yes boolean)')
})
afterAll(() => bench.close())

/** Appends, then fails until something is ready, with a value of a part before. */
const document = (name: string, more = '') => `mattock: job/1
name: ${name}
title: ${name}
parts:
  - once:
      - {id: top, set: {on: warehouse, query: 'select max(meter) as meter from raw.source'}}
  - each: {roster: {range: {from: 1, to: 2}}}
    do:
      - {id: bring-in, transfer: {from: {connection: warehouse, query: 'select {row.value}::integer as feed, meter from raw.source'}, into: {connection: warehouse, table: raw.staged, write: append}}}
      - {id: report, sql: {on: warehouse, text: 'insert into raw.report select count(*), {step["top"].value.meter} from raw.staged, public.ready having 1 / count(*) > -1'}}
${more}  - id: after
    once:
      - {id: tell, sql: {on: warehouse, text: "insert into raw.told values ('told')"}}
`
async function start(text: string): Promise<number> {
  const { job } = await saveJob(bench.engine, text, { by: 'test' })
  const { id } = await makePlan(bench.engine, { job, environment: 'dev', parameters: {}, by: 'test' })
  return await startRun(bench.engine, { plan: id, by: 'test' })
}
const count = async (table: string) => Number((await bench.rows(`select count(*) as n from ${table}`))[0]!.n)
const loadsOf = (run: number) =>
  bench.own(
    'select id::int as id, key, state, part, read::int as read, written::int as written from mattock.load where run_id = $1 order by number',
    [run],
  )

describe('a rerun from the step that failed', () => {
  it('keeps what was done before it: what was appended is not there twice, and a value of an earlier part holds', async () => {
    const first = await start(document('mends'))
    expect(await bench.ended(first)).toBe('failed')
    expect(await count('raw.staged')).toBe(10)
    expect(await rerunOutlook(bench.engine, first, { from: { failed: true } })).toEqual({
      loads: 3,
      steps: [
        { step: 'bring-in', kind: 'transfer', kept: 2, again: 0, twice: 0 },
        { step: 'report', kind: 'sql', kept: 0, again: 2, twice: 0 },
        { step: 'tell', kind: 'sql', kept: 0, again: 1, twice: 0 },
      ],
    })
    await bench.rows('insert into public.ready values (true)')
    const again = await rerun(bench.engine, first, { by: 'test', from: { failed: true } })
    expect(await bench.ended(again)).toBe('done')
    expect(await count('raw.staged')).toBe(10)
    expect(await bench.rows('select meters, top from raw.report order by 1')).toEqual([
      { meters: 10, top: 5 },
      { meters: 10, top: 5 },
    ])
    expect(await count('raw.told')).toBe(1)
    // the rows are those of the first run, which counts them
    const [, two] = await loadsOf(first)
    const [load] = await loadsOf(again)
    expect(load).toMatchObject({ key: '1', state: 'done', read: 0, written: 0 })
    const steps = await bench.own(
      'select step, state, written::int as written, kept_from::int as kept from mattock.load_step where load_id = $1 order by position',
      [load!.id],
    )
    expect(steps).toEqual([
      { step: 'bring-in', state: 'done', written: 5, kept: two!.id },
      { step: 'report', state: 'done', written: 0, kept: null },
    ])
  })

  it('from the start it does all of it again, and says before which rows come twice', async () => {
    const first = await start(document('starts'))
    expect(await bench.ended(first)).toBe('failed')
    const { steps } = await rerunOutlook(bench.engine, first, {})
    expect(steps[0]).toEqual({ step: 'bring-in', kind: 'transfer', kept: 0, again: 2, twice: 2 })
    await bench.rows('insert into public.ready values (true)')
    expect(await bench.ended(await rerun(bench.engine, first, { by: 'test' }))).toBe('done')
    expect(await count('raw.staged')).toBe(20)
  })

  it('and again, where it fails once more: what the first run did is kept through both', async () => {
    const first = await start(document('twice'))
    expect(await bench.ended(first)).toBe('failed')
    const second = await rerun(bench.engine, first, { by: 'test', from: { failed: true } })
    expect(await bench.ended(second)).toBe('failed')
    await bench.rows('insert into public.ready values (true)')
    const third = await rerun(bench.engine, second, { by: 'test', from: { failed: true } })
    expect(await bench.ended(third)).toBe('done')
    expect(await count('raw.staged')).toBe(10)
    const kept = await bench.own(
      `select distinct l.run_id from mattock.load_step s join mattock.load l on l.id = s.kept_from
       where s.load_id in (select id from mattock.load where run_id = $1)`,
      [third],
    )
    expect(kept).toEqual([{ run_id: first }])
  })
})

describe('a rerun from a step by its name', () => {
  it('brings back loads that were done, and the parts behind; what stands before is kept', async () => {
    await bench.rows('insert into public.ready values (true)')
    const first = await start(document('named'))
    expect(await bench.ended(first)).toBe('done')
    await expect(rerun(bench.engine, first, { by: 'test' })).rejects.toThrow(/no load failed/)
    const again = await rerun(bench.engine, first, { by: 'test', from: { step: 'report' } })
    expect(await bench.ended(again)).toBe('done')
    expect((await loadsOf(again)).map(({ key, part }) => [key, part])).toEqual([['1', 1], ['2', 1], ['tell', 2]]) // prettier-ignore
    expect([await count('raw.staged'), await count('raw.report'), await count('raw.told')]).toEqual([
      10, 4, 2,
    ])
    const { rows } = await bench.engine.db.$client.query('select cause from mattock.run where id = $1', [
      again,
    ])
    expect(rows[0].cause).toBe('rerun from report')
  })

  it('does the step itself again, though its marker lies in the target', async () => {
    await bench.rows('insert into public.ready values (true)')
    const first = await start(document('marked'))
    expect(await bench.ended(first)).toBe('done')
    const [, one] = await loadsOf(first)
    const again = await rerun(bench.engine, first, {
      by: 'test',
      loads: [one!.id as number],
      from: { step: 'bring-in' },
    })
    expect(await bench.ended(again)).toBe('done')
    expect(await loadsOf(again)).toMatchObject([{ key: '1', written: 5 }])
    expect(await count('raw.staged')).toBe(15)
  })

  it('is refused for a step that the job does not have', async () => {
    await bench.rows('insert into public.ready values (true)')
    const first = await start(document('none'))
    expect(await bench.ended(first)).toBe('done')
    await expect(rerun(bench.engine, first, { by: 'test', from: { step: 'reprot' } })).rejects.toThrow(
      'none has no step reprot',
    )
  })
})

describe('a load that failed', () => {
  it('is set aside while its part goes on, and what waits for the part begins', async () => {
    const text = document('aside').replace(
      /\{id: report.*\n/,
      `{id: report, sql: {on: warehouse, text: "select 1 / ({row.value}::integer - 1), pg_sleep(600)"}}\n`,
    )
    const run = await start(text)
    await until('one failed', async () => (await loadsOf(run))[1]!.state === 'failed')
    const [, failed] = await loadsOf(run)
    expect(await setAside(bench.engine, run, [failed!.id as number], 'Ada')).toBe(1)
    expect((await loadsOf(run))[1]!.state).toBe('skipped')
    const [counted] = await bench.own('select failed, skipped from mattock.run_part where run_id = $1 and part = 1', [run]) // prettier-ignore
    expect(counted).toEqual({ failed: 0, skipped: 1 })
    const [{ message }] = await bench.own(
      `select error ->> 'message' as message from mattock.load where id = $1`,
      [failed!.id],
    ) as [{ message: string }] // prettier-ignore
    expect(message).toBe('set aside by Ada, having failed: division by zero')
    // it may not have come to its statement yet
    await until('the other is broken off', async () => {
      await bench.rows(
        `select pg_cancel_backend(pid) from pg_stat_activity where query like '%pg_sleep(600)%' and state = 'active' and pid <> pg_backend_pid()`,
      )
      return (await loadsOf(run))[2]!.state === 'failed'
    })
    // the other was cancelled in its database and failed; it is set aside in vain, since its part has ended with it
    expect(await bench.ended(run)).toBe('failed')
    const [, , other] = await loadsOf(run)
    expect(await setAside(bench.engine, run, [other!.id as number], 'Ada')).toBe(0)
  })
})
