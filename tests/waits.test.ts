import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { clockNow } from '../engine/context/clock'
import { lookAhead } from '../engine/scheduling/outlook'
import { makePlan } from '../engine/planning/plan'
import { letGo, letWaitingGo, setAside, stopRun } from '../engine/running/controls'
import { rerun, startRun } from '../engine/running/runs'
import { saveJob } from '../engine/jobs/versions'
import { leaveWaits, watchWaits } from '../engine/waiting/look'
import { waitsOfLoad } from '../engine/waiting/read'
import { testBench, type TestBench } from './support/bench'

let bench: TestBench
let end = () => {}
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(6)
  end = watchWaits(bench.engine, { every: 100, files: 1500 })
  await bench.rows('create table wrong (day text); create table landed (feed text, day text)')
})
afterAll(async () => {
  end()
  await bench.close()
})

const job = (name: string, every: string, { waits = '', rows = '[{feed: a}, {feed: b}]', zone = 'UTC', step = 'select 1/(1 - count(*)), {row.feed}::text from wrong where day = {slice.label}' } = {}) => `mattock: job/1
name: ${name}
title: The ${name}
slices: {every: ${every}, zone: ${zone}, from: 2026-01-01}
parts:
  - each: {roster: {rows: ${rows}, key: [feed]}, at_once: 4${waits === '' ? '' : `, waits: [${waits}]`}}
    do:
      - {id: work, sql: {on: warehouse, text: "${step}"}}
` // prettier-ignore
const save = async (text: string) => await saveJob(bench.engine, text, { by: 'test' })
const start = async (name: string, span: string, more: { only?: string } = {}) => {
  const { id } = await makePlan(bench.engine, { job: name, environment: 'dev', parameters: {}, by: 'test', span, ...more }) // prettier-ignore
  return await startRun(bench.engine, { plan: id, by: 'test' })
}
const states = async (run: number) => {
  const rows = await bench.own('select key, state, lane < 0 as waits from mattock.load where run_id = $1 order by number', [run]) // prettier-ignore
  return rows.map(({ state, waits }) => (waits ? `${String(state)}!` : (state as string)))
}
/** Comes true soon, or the test fails with what it is instead. */
const soon = async (what: () => Promise<unknown>, wanted: unknown) => {
  await expect.poll(what, { interval: 40 }).toEqual(wanted)
}
/** Some time in which nothing must happen. */
const aWhile = () => new Promise((resolve) => setTimeout(resolve, 400))

describe('what a load waits for', () => {
  it('a month waits for all its days (28 in February), and begins with the last of them', async () => {
    await save(job('days', 'P1D'))
    await save(job('months', 'P1M', { waits: '{job: {name: days}}' }))
    const month = await start('months', '2026-02')
    expect(await states(month)).toEqual(['waiting!', 'waiting!'])
    const [{ id } = {}] = await bench.own('select id from mattock.load where run_id = $1', [month])
    const waits = await waitsOfLoad(bench.engine, Number(id))
    expect(waits!.needs).toHaveLength(28)
    expect(waits!.needs[0]).toMatchObject({ kind: 'slice', job: 'days', label: '2026-02-01', met: null, loads: { loaded: 0, failed: 0, underWay: 0 } }) // prettier-ignore
    await bench.ended(await start('days', '2026-02-01/2026-02-28'))
    await aWhile()
    expect(await states(month)).toEqual(['waiting!', 'waiting!'])
    await bench.ended(await start('days', '2026-02-28'))
    expect(await bench.ended(month)).toBe('done')
    expect((await waitsOfLoad(bench.engine, Number(id)))!.releasedAt).not.toBeNull()
  })
  it('a check of another job: once it holds in all rows, though the loads of that job go on', async () => {
    await bench.rows('create table gate (day text)')
    await save(`mattock: job/1
name: proven
title: Proven
slices: {every: P1D, zone: UTC, from: 2026-01-01}
parts:
  - each: {roster: {rows: [{feed: a}, {feed: b}], key: [feed]}, at_once: 4}
    do:
      - {id: proof, sql: {on: warehouse, text: "select 1/(1 - count(*)), {row.feed}::text from wrong where day = {row.feed} || {slice.label}"}}
      - {id: rest, sql: {on: warehouse, text: "do 'begin while not exists (select from gate) loop perform pg_sleep(0.05); end loop; end'"}}
`)
    await save(job('builds', 'P1D', { waits: '{check: {of: proven, step: proof}}' }))
    await bench.rows(`insert into wrong values ('b2026-07-01')`)
    const builds = await start('builds', '2026-07-01')
    const proven = await start('proven', '2026-07-01')
    // of one row the check does not hold
    await soon(async () => (await states(proven)).sort(), ['failed', 'running'])
    await aWhile()
    expect(await states(builds)).toEqual(['waiting!', 'waiting!'])
    const [{ id } = {}] = await bench.own('select id from mattock.load where run_id = $1', [builds])
    expect((await waitsOfLoad(bench.engine, Number(id)))!.needs).toMatchObject([{ kind: 'check', job: 'proven', step: 'proof', label: '2026-07-01', met: null }]) // prettier-ignore
    await bench.rows('delete from wrong')
    const again = await start('proven', '2026-07-01', { only: "row.feed == 'b'" })
    expect(await bench.ended(builds)).toBe('done')
    expect(await states(proven)).toContain('running')
    await bench.rows(`insert into gate values ('now')`)
    await bench.ended(proven)
    await bench.ended(again)
    // a step that nobody has is waited for, until somebody lets it go
    await save(job('in-vain', 'P1D', { waits: '{check: {of: proven, step: no-such}}' }))
    const vain = await start('in-vain', '2026-07-01')
    await aWhile()
    expect(await states(vain)).toEqual(['waiting!', 'waiting!'])
    expect(await letWaitingGo(bench.engine, vain, 'Ana', 'there is no such check')).toBe(2)
    expect(await bench.ended(vain)).toBe('done')
    expect(await letWaitingGo(bench.engine, vain, 'Ana', 'there is no such check')).toBe(0)
  })
  it('a day waits for the month that covers it, and what is there already is not waited for', async () => {
    await save(job('after-month', 'P1D', { waits: '{job: {name: months}}' }))
    expect(await bench.ended(await start('after-month', '2026-02-10'))).toBe('done')
    const early = await start('after-month', '2026-03-10')
    await aWhile()
    expect(await states(early)).toEqual(['waiting!', 'waiting!'])
    await stopRun(bench.engine, early)
    expect(await bench.ended(early)).toBe('stopped')
  })
  it('one row of the slice is not the slice: picked rows let nobody go, and a load that failed does not either', async () => {
    await save(job('follower', 'P1D', { waits: '{job: {name: days}}' }))
    const follower = await start('follower', '2026-05-01')
    await bench.ended(await start('days', '2026-05-01', { only: "row.feed == 'a'" }))
    await aWhile()
    expect(await states(follower)).toEqual(['waiting!', 'waiting!'])
    await bench.rows(`insert into wrong values ('2026-05-01')`)
    expect(await bench.ended(await start('days', '2026-05-01'))).toBe('failed')
    await aWhile()
    expect(await states(follower)).toEqual(['waiting!', 'waiting!'])
    await bench.rows('delete from wrong')
    await bench.ended(await start('days', '2026-05-01'))
    expect(await bench.ended(follower)).toBe('done')
  })
  it('a load of it that was set aside is not waited for', async () => {
    const follower = await start('follower', '2026-05-02')
    await bench.rows(`insert into wrong values ('2026-05-02')`)
    const failed = await start('days', '2026-05-02')
    await bench.ended(failed)
    await bench.rows('delete from wrong')
    const loads = await bench.own('select id from mattock.load where run_id = $1', [failed])
    await setAside(bench.engine, failed, [Number(loads[0]!.id)], 'test')
    await aWhile()
    expect(await states(follower)).toEqual(['waiting!', 'waiting!'])
    await bench.ended(await start('days', '2026-05-02', { only: "row.feed == 'b'" }))
    // the other is still failed
    await aWhile()
    expect((await states(follower))[0]).toBe('waiting!')
    await bench.ended(await start('days', '2026-05-02', { only: "row.feed == 'a'" }))
    expect(await bench.ended(follower)).toBe('done')
  })
  it('row by row, each begins with its own', async () => {
    await save(job('paired', 'P1D', { waits: '{job: {name: days, rows: same}}', rows: '[{feed: a}, {feed: b}, {feed: nobody}]' })) // prettier-ignore
    const paired = await start('paired', '2026-06-01')
    expect(await states(paired)).toEqual(['waiting!', 'waiting!', 'waiting!'])
    await bench.ended(await start('days', '2026-06-01', { only: "row.feed == 'b'" }))
    await soon(() => states(paired), ['waiting!', 'done', 'waiting!'])
    await bench.ended(await start('days', '2026-06-01', { only: "row.feed == 'a'" }))
    await soon(() => states(paired), ['done', 'done', 'waiting!'])
    // one that nobody will ever load is let go by hand, with the reason kept
    const [nobody] = await bench.own(`select id from mattock.load where run_id = $1 and row_key = 'nobody'`, [paired]) // prettier-ignore
    expect(await letGo(bench.engine, paired, [Number(nobody!.id)], 'Ana', 'it has no pair')).toBe(1)
    expect(await bench.ended(paired)).toBe('done')
    expect(await bench.own('select let_go from mattock.load where id = $1', [nobody!.id])).toMatchObject([{ let_go: { by: 'Ana', why: 'it has no pair' } }]) // prettier-ignore
    expect(await bench.own('select sum(waiting)::int as lanes from mattock.run_lane where run_id = $1', [paired])).toEqual([{ lanes: 0 }]) // prettier-ignore
  })
  it('its own slice before: each builds on the last, within a run and after a failure', async () => {
    await save(job('chain', 'P1D', { waits: '{previous: {}}', rows: '[{feed: a}]' }))
    // nothing was ever before it
    const run = await start('chain', '2026-01-01/2026-01-05')
    expect(await bench.ended(run)).toBe('done')
    const ends = await bench.own('select slice_label as label from mattock.load where run_id = $1 order by started_at', [run]) // prettier-ignore
    expect(ends.map(({ label }) => label)).toEqual(['2026-01-01', '2026-01-02', '2026-01-03', '2026-01-04'])
    await bench.rows(`insert into wrong values ('2026-01-06')`)
    const broken = await start('chain', '2026-01-05/2026-01-09')
    await soon(() => states(broken), ['done', 'failed', 'waiting!', 'waiting!'])
    await bench.rows('delete from wrong')
    await bench.ended(await start('chain', '2026-01-06'))
    expect(await bench.ended(broken)).toBe('failed')
    expect(await states(broken)).toEqual(['done', 'failed', 'done', 'done'])
  })
  it('a dataset: the slices of who writes it, or, where that has none, a refresh since', async () => {
    const writer = (name: string, slices: string, into: string) => `mattock: job/1
name: ${name}
title: ${name}
${slices}parts:
  - each: {roster: {rows: [{feed: a}]}}
    do:
      - {id: write, transfer: {from: {connection: warehouse, query: "select 'a'::text as feed, 'x'::text as day"}, into: {connection: warehouse, table: ${into}, write: append}}}
` // prettier-ignore
    await save(
      writer('sliced-writer', 'slices: {every: P1D, zone: UTC, from: 2026-01-01}\n', 'public.landed'),
    )
    await bench.ended(await start('sliced-writer', '2026-01-01'))
    await save(job('reader', 'P1D', { waits: '{dataset: {of: warehouse.public.landed}}' }))
    const reader = await start('reader', '2026-01-02')
    const [{ id } = {}] = await bench.own('select id from mattock.load where run_id = $1', [reader])
    expect((await waitsOfLoad(bench.engine, Number(id)))!.needs).toMatchObject([{ kind: 'slice', job: 'sliced-writer', label: '2026-01-02', usual: expect.anything() as unknown }]) // prettier-ignore
    await bench.ended(await start('sliced-writer', '2026-01-02'))
    expect(await bench.ended(reader)).toBe('done')
    await bench.rows('create table other (feed text, day text)')
    await save(job('reader', 'P1D', { waits: '{dataset: {of: warehouse.public.other}}' }))
    const second = await start('reader', '2026-01-03')
    await aWhile()
    expect(await states(second)).toEqual(['waiting!', 'waiting!'])
    await bench.load(writer('plain-writer', '', 'public.other'))
    expect(await bench.ended(second)).toBe('done')
  })
  it('its files: when they are there and no longer grow, or their markers came', async () => {
    const fileJob = (wait: string) => `mattock: job/1
name: filed
title: filed
slices: {every: P1D, zone: UTC, from: 2026-01-01}
parts:
  - each: {roster: {rows: [{feed: a}, {feed: "b's"}], key: [feed]}, waits: [{files: ${wait}}]}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "in/{row.feed}_{format(slice.from, 'yyyyMMdd')}*.csv"}
          into: {connection: warehouse, table: public.landed, write: append}
` // prettier-ignore
    await save(fileJob('{}'))
    const run = await start('filed', '2026-04-01')
    await aWhile()
    expect(await states(run)).toEqual(['waiting!', 'waiting!'])
    bench.writeFile('in/a_20260401.csv', 'feed,day\n')
    // it grows for a while
    for (let n = 0; n < 24; n++) {
      writeFileSync(join(bench.drop, 'in/a_20260401.csv'), 'a,1\n', { flag: 'a' })
      await new Promise((resolve) => setTimeout(resolve, 100))
      expect((await states(run))[0]).toBe('waiting!')
    }
    await soon(() => states(run), ['done', 'waiting!'])
    expect(await bench.own(`select written::int from mattock.load where run_id = $1 and row_key = 'a'`, [run])).toEqual([{ written: 24 }]) // prettier-ignore
    bench.writeFile("in/b's_20260401_x.csv", 'feed,day\nb,1\n')
    expect(await bench.ended(run)).toBe('done')
    await save(fileJob('{marker: .done}'))
    const marked = await start('filed', '2026-04-02')
    bench.writeFile('in/a_20260402.csv', 'feed,day\na,2\n')
    bench.writeFile("in/b's_20260402.csv", 'feed,day\nb,2\n')
    bench.writeFile('in/a_20260402.csv.done', '')
    await soon(() => states(marked), ['done', 'waiting!'])
    bench.writeFile("in/b's_20260402.csv.done", '')
    expect(await bench.ended(marked)).toBe('done')
  })
  it('for so long and no longer: then it fails, and what it waited for is named', async () => {
    await save(job('early', 'P1D'))
    const text = job('patient', 'P1D', { waits: '{job: {name: early}}', step: 'select {row.feed}::text' }).replace('at_once: 4', 'at_once: 4, waits_at_most: PT2H')
    await save(text)
    await bench.ended(await start('early', '2026-05-02'))
    const run = await start('patient', '2026-05-01/2026-05-03')
    await soon(() => states(run), ['waiting!', 'waiting!', 'done', 'done'])
    const [{ id } = {}] = await bench.own('select id from mattock.load where run_id = $1', [run])
    const { givesUpAt, since } = (await waitsOfLoad(bench.engine, Number(id)))!
    expect(Math.round((Date.parse(givesUpAt!) - Date.parse(since)) / 60_000)).toBe(120)
    // it is foreseen
    const now = await clockNow(bench.engine)
    const { foreseen } = await lookAhead(bench.engine, { environment: 'dev', from: new Date(now).toISOString(), until: new Date(now + 86_400_000).toISOString() })
    expect(foreseen.find((one) => one.run === Number(run))).toMatchObject({ stuck: '2026-05-01 of The early', givesUp: givesUpAt, ends: givesUpAt })
    const later = (minutes: number) => bench.own(`insert into mattock.shown_clock (real, shown) values (clock_timestamp(), mattock.clock() + make_interval(mins => $1)) on conflict (id) do update set real = excluded.real, shown = excluded.shown`, [minutes])
    await later(119)
    await aWhile()
    expect(await states(run)).toEqual(['waiting!', 'waiting!', 'done', 'done'])
    // one that somebody lets go is not one that waited in vain, though its time is up before it begins
    await letGo(bench.engine, run, [Number(id)], 'ana', 'it is known')
    await later(2)
    expect(await bench.ended(run)).toBe('failed')
    expect(await states(run)).toEqual(['done', 'failed', 'done', 'done'])
    const [failed] = await bench.own(`select error, cause from mattock.load where run_id = $1 and state = 'failed'`, [run])
    expect(failed!.error).toMatchObject({ code: 'waited-too-long', message: 'it waited 2 h for 2026-05-01 of early, which is as long as it may', effect: 'nothing was written' })
    expect(failed!.cause).toMatch(/^it waited 2 h for the slices of early/)
    const sets = await bench.own(`select gave_up as up, released_at is not null as released from mattock.wait_set where run_id = $1 and gives_up_at < mattock.clock() order by id`, [run])
    expect(sets).toEqual([{ up: true, released: true }, { up: false, released: true }])
    // it is asked about no more, and done again once it is there
    await bench.ended(await start('early', '2026-05-01'))
    expect(await bench.ended(await rerun(bench.engine, run, { by: 'test' }))).toBe('done')
    await expect(save(text.replace(/, waits: \[.*?\]/, ''))).rejects.toThrow('nothing is waited for')
    await expect(save(text.replace('PT2H', 'PT1S'))).rejects.toThrow('an ISO 8601 duration from PT1M to P31D')
  }) // prettier-ignore
  it('is asked about no longer where nobody waits for it any more', async () => {
    const left = async () => (await bench.own(`select count(*)::int as n, count(left_at)::int as left from mattock.wait_need n join mattock.wait_set s on s.id = n.set_id where n.met_at is null and n.kind = 'files' and s.run_id = $1`, [run]))[0]
    const text = `mattock: job/1
name: unsent
title: unsent
slices: {every: P1D, zone: UTC, from: 2026-01-01}
parts:
  - each: {roster: {rows: [{feed: x}, {feed: y}, {feed: z}], key: [feed]}, waits: [{files: {}}]}
    do: [{id: bring-in, transfer: {from: {store: drop, files: "none/{row.feed}.csv"}, into: {connection: warehouse, table: public.landed, write: append}}}]
`
    await save(text)
    const run = await start('unsent', '2026-04-01')
    const ids = (await bench.own('select id from mattock.load where run_id = $1 order by number', [run])).map(({ id }) => Number(id))
    await setAside(bench.engine, run, [ids[0]!], 'ana')
    await letGo(bench.engine, run, [ids[1]!], 'ana', 'no file comes')
    await soon(() => states(run), ['skipped!', 'failed', 'waiting!'])
    expect(await left()).toEqual({ n: 3, left: 0 })
    await leaveWaits(bench.engine)
    expect(await left()).toEqual({ n: 3, left: 2 })
    await stopRun(bench.engine, run)
    await bench.ended(run)
    await leaveWaits(bench.engine)
    expect(await left()).toEqual({ n: 3, left: 3 })
  }) // prettier-ignore
  it('a job that waits for itself, or waits without slices, is refused where it is written', async () => {
    await expect(save(job('loop', 'P1D', { waits: '{job: {name: loop}}' }))).rejects.toThrow(
      /wait for itself/,
    )
    await expect(save(job('loop', 'P1D', { waits: '{previous: {}}' }).replace(/slices: .*\n/, ''))).rejects.toThrow(/only what goes through slices waits/) // prettier-ignore
    await expect(save(job('loop', 'P1D', { waits: '{previous: {}, files: {}}' }))).rejects.toThrow(/a wait is one of/) // prettier-ignore
  })
})
