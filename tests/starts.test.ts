import { afterAll, afterEach, beforeAll, describe, expect, it } from 'vitest'
import { saveJob } from '../engine/jobs/versions'
import { begunByStart, cameAfter } from '../engine/scheduling/cameAfter'
import { endPause, pauseStarts } from '../engine/scheduling/pauses'
import { startScheduler } from '../engine/scheduling/scheduler'
import { testBench, type TestBench } from './support/bench'
import { pace } from './support/pace'
import { until } from './support/faults'

// Starts on a real store and with a real worker; their clock is set by the tests (mattock.shown_clock).

let bench: TestBench
const ends: (() => Promise<void>)[] = []
beforeAll(async () => {
  bench = await testBench()
  await bench.worker(2)
  await bench.own(`delete from mattock.pause where environment = 'dev'`)
  await bench.rows('create table public.told (job text, day date)')
})
afterEach(async () => {
  await Promise.all(ends.splice(0).map((end) => end()))
  await bench.own(`delete from mattock.pause where environment = 'dev' and why <> 'over'`)
  // what a clock that is set elsewhere would begin of the jobs of earlier tests is nobody's concern
  await bench.own(
    `insert into mattock.pause (environment, job, "from", why, by, at) select 'dev', name, '2000-01-01', 'over', 'test', now() from mattock.job j
     where not exists (select 1 from mattock.pause p where p.job = j.name and p.why = 'over')`,
  )
})
afterAll(() => bench.close())

const scheduler = () => ends.push(startScheduler(bench.engine, { look: 30 }))
/** Sets the clock of starts; from there it goes on as the real one does. */
const clock = async (shown: string) =>
  await bench.own(`insert into mattock.shown_clock (real, shown) values (clock_timestamp(), $1) on conflict (id) do update set real = excluded.real, shown = excluded.shown`, [shown]) // prettier-ignore
const save = async (text: string) => (await saveJob(bench.engine, text, { by: 'test' })).job
const plain = (name: string, starts: string, more = '') => `
mattock: job/1
name: ${name}
title: ${name}
${more}
starts:
${starts}
parts:
  - once:
      - {id: tell, sql: {on: warehouse, text: "insert into public.told values ('${name}', null)"}}
`
const daily = (name: string, starts: string, more = '') => `
mattock: job/1
name: ${name}
title: ${name}
slices: {every: P1D, zone: Europe/Oslo, from: 2026-01-01, grace: PT5H${more}}
starts:
${starts}
parts:
  - each: {roster: {rows: [{one: 1}]}}
    do:
      - {id: tell, sql: {on: warehouse, text: "insert into public.told values ('${name}', {format(slice.from, 'yyyy-MM-dd')}::date)"}}
`
/** What was decided about a job's starts, once so many have been decided and begun and have ended. */
async function decided(job: string, count: number) {
  for (let i = 0; ; i++) {
    const rows = await bench.own(
      `select o.start, o.at, o.state, o.cause, o.why, o."from", o."to", o.run_id as run, o.seen, r.state as "runState", r.by, r.cause as "runCause"
       from mattock.occasion o left join mattock.run r on r.id = o.run_id where o.job = $1 and o.environment = 'dev' order by o.at, o.id`, [job]) // prettier-ignore
    const settled = rows.filter(({ state, runState }) => (state === 'started' ? runState === 'done' || runState === 'failed' : state !== 'due')) // prettier-ignore
    if (settled.length >= count && settled.length === rows.length) return rows
    if (i > 2000) throw new Error(`${job}: ${JSON.stringify(rows)}`)
    await new Promise((resolve) => setTimeout(resolve, 25))
  }
}
const states = async (job: string) => await bench.own('select since, next_at as next from mattock.start_state where job = $1 and environment = $2', [job, 'dev']) // prettier-ignore
/** Waits until a job's starts are known. */
async function known(job: string) {
  for (let i = 0; i < 2000; i++) {
    const [state] = await states(job)
    if (state?.next !== undefined && (state.next === null || Date.parse(state.next as string) > 0)) return
    await new Promise((resolve) => setTimeout(resolve, 25))
  }
  throw new Error(`${job} has no starts`)
}
const time = (at: unknown) => new Date(at as string).toISOString().slice(0, 16)
const pauseLook = async () => await new Promise((resolve) => setTimeout(resolve, 300))

describe('starts by the clock', () => {
  it('begin when they are due, once, with what they came by in the record', async () => {
    await clock('2026-11-25T05:29:59.000Z')
    await save(plain('clocked', `  - {id: morning, clock: {cron: '30 6 * * *', zone: Europe/Oslo}}`))
    scheduler()
    scheduler()
    scheduler()
    const [one, ...others] = await decided('clocked', 1)
    expect(others).toEqual([])
    expect(one).toMatchObject({ state: 'started', cause: 'at 06:30', why: null, runState: 'done', by: 'start morning', runCause: 'at 06:30' }) // prettier-ignore
    expect(time(one!.at)).toBe('2026-11-25T05:30')
    const [run] = await bench.own('select started_at as at from mattock.run where id = $1', [one!.run])
    expect(Date.parse(run!.at as string) - Date.parse(one!.at as string)).toBeLessThan(2000 * pace())
    expect(await bench.rows(`select count(*)::int as n from public.told where job = 'clocked'`)).toEqual([{ n: 1 }]) // prettier-ignore
  })

  it.each([
    ['once', ['skipped', 'skipped', 'started']],
    ['each', ['started', 'started', 'started']],
    ['skip', ['skipped', 'skipped', 'skipped']],
  ])('that went by while nobody was there: %s', async (missed, expected) => {
    const job = `missed-${missed}`
    await clock('2026-11-25T12:00:00Z')
    await save(plain(job, `  - {id: noon, clock: {cron: '30 12 * * *'}, missed: ${missed}}`))
    scheduler()
    await known(job)
    await ends.pop()!()
    await clock('2026-11-28T09:00:00Z')
    scheduler()
    const rows = await decided(job, 3)
    expect(rows.map(({ state }) => state)).toEqual(expected)
    expect(rows.map(({ at }) => time(at))).toEqual(['2026-11-25T12:30', '2026-11-26T12:30', '2026-11-27T12:30'])
    if (missed === 'once') {
      expect(rows[2]!.why).toBe('begun 20 h 30 min late, for 3 that went by: nothing was there to begin it')
      expect(rows[0]!.why).toContain('made up for by the start of 2026-11-27T12:30')
    }
    if (missed === 'skip') expect(rows[0]!.why).toBe('left out, as the start says: nothing was there to begin it')
  }) // prettier-ignore

  it('do not come again when the clock is set back, and come when it is set right', async () => {
    await clock('2026-11-25T10:59:59.500Z')
    await save(plain('jumps', `  - {id: hourly, clock: {cron: '0 * * * *'}, missed: each}`))
    scheduler()
    await decided('jumps', 1)
    await clock('2026-11-25T10:30:00Z')
    await pauseLook()
    await clock('2026-11-25T10:59:59.500Z')
    await pauseLook()
    expect(await decided('jumps', 1)).toHaveLength(1)
    // a clock that showed another year for a moment
    await clock('2031-01-01T00:30:00Z')
    await bench.own(`update mattock.start_state set since = mattock.clock(), next_at = mattock.clock() + interval '1 hour' where job = 'jumps'`) // prettier-ignore
    await clock('2026-11-25T11:59:59.000Z')
    const rows = await decided('jumps', 2)
    expect(rows.map(({ at }) => time(at))).toEqual(['2026-11-25T11:00', '2026-11-25T12:00'])
  })

  it('of a job with slices take those that are over since they last began, and what is restated', async () => {
    await clock('2026-11-25T06:59:59.500Z')
    await save(daily('sliced', `  - {id: weekly, clock: {cron: '0 8 * * 3', zone: Europe/Oslo}}`))
    scheduler()
    const [first] = await decided('sliced', 1)
    // 25 November 2026 is a Wednesday; nothing was taken before: the newest alone
    expect([time(first!.from), time(first!.to)]).toEqual(['2026-11-23T23:00', '2026-11-24T23:00'])
    await clock('2026-12-02T06:59:59.500Z')
    const [, second] = await decided('sliced', 2)
    expect([time(second!.from), time(second!.to)]).toEqual(['2026-11-24T23:00', '2026-12-01T23:00'])
    const days = await bench.rows(`select day::text from public.told where job = 'sliced' order by day`)
    expect(days).toHaveLength(8)
    expect(new Set(days.map(({ day }) => day)).size).toBe(8)
  })
})

describe('two starts of one job at one time', () => {
  it('take a slice once: what the first takes, the second does not', async () => {
    await clock('2026-11-25T06:59:59.500Z')
    await save(daily('twice', `  - {id: one, clock: {cron: '0 8 * * *', zone: Europe/Oslo}}\n  - {id: two, clock: {cron: '0 8 * * *', zone: Europe/Oslo}}`)) // prettier-ignore
    scheduler()
    const rows = await decided('twice', 2)
    expect(rows.map(({ state }) => state).sort()).toEqual(['skipped', 'started'])
    expect(rows.find(({ state }) => state === 'skipped')!.why).toBe(
      'no slice is over that was not taken before',
    )
  })
})

describe('starts of slices', () => {
  it('begin when each is over and its grace has gone by; those that went by are made up for with all their slices', async () => {
    await clock('2026-11-25T03:59:59.500Z')
    await save(daily('closes', `  - {id: day, slice: {}}`))
    scheduler()
    const [first] = await decided('closes', 1)
    expect([time(first!.at), time(first!.from)]).toEqual(['2026-11-25T04:00', '2026-11-23T23:00'])
    expect(first!.cause).toBe('each day, 5 hours after it is over')
    await ends.pop()!()
    await clock('2026-11-28T12:00:00Z')
    scheduler()
    const rows = await decided('closes', 4)
    expect(rows.map(({ state }) => state)).toEqual(['started', 'skipped', 'skipped', 'started'])
    expect([time(rows[3]!.from), time(rows[3]!.to)]).toEqual(['2026-11-24T23:00', '2026-11-27T23:00'])
    expect((await bench.rows(`select day::text from public.told where job = 'closes' order by day`)).map(({ day }) => day)).toEqual(['2026-11-24', '2026-11-25', '2026-11-26', '2026-11-27']) // prettier-ignore
  })
  it('take what is restated before them', async () => {
    await clock('2026-11-25T03:59:59.500Z')
    await save(daily('restates', `  - {id: day, slice: {}}`, ', restate: P3D'))
    scheduler()
    const [one] = await decided('restates', 1)
    expect([time(one!.from), time(one!.to)]).toEqual(['2026-11-21T23:00', '2026-11-24T23:00'])
  })
})

describe('starts that wait for something', () => {
  it('begin when another job has ended as they say', async () => {
    await clock('2026-11-25T12:00:00Z')
    await save(plain('first', '  []'))
    await save(plain('after-done', '  - {id: then, ended: {job: first}}'))
    await save(plain('after-failed', '  - {id: then, ended: {job: first, as: failed}}'))
    scheduler()
    await known('after-done')
    const run = await bench.load(plain('first', '  []'))
    const [one] = await decided('after-done', 1)
    expect(one).toMatchObject({ state: 'started', cause: `run ${run} of first is done`, runState: 'done' })
    await bench.load(plain('first', '  []').replace('public.told', 'public.nowhere'))
    const [failed, ...more] = await decided('after-failed', 1)
    expect(failed).toMatchObject({ state: 'started' })
    expect(more).toEqual([])
    expect(await decided('after-done', 1)).toHaveLength(1)
  })
  it('begin when all that they read was refreshed since they last began, and say by what', async () => {
    const writer = (table: string) => `
mattock: job/1
name: writes-${table}
title: writes ${table}
parts:
  - each: {roster: {rows: [{n: 1}]}}
    do:
      - id: write
        transfer: {from: {connection: warehouse, query: 'select 1 as n'}, into: {connection: warehouse, table: public.${table}, write: replace-all}}
`
    await save(plain('reads-all', '  - {id: ready, refreshed: {of: [warehouse.public.one, warehouse.public.two]}}'))
    await save(plain('reads-any', '  - {id: ready, refreshed: {wait_for: any, of: [warehouse.public.one, warehouse.public.two]}}'))
    scheduler()
    await known('reads-all')
    const one = await bench.load(writer('one'))
    const again = await bench.load(writer('one'))
    await decided('reads-any', 2)
    expect(await bench.own(`select 1 from mattock.occasion where job = 'reads-all'`)).toEqual([])
    const two = await bench.load(writer('two'))
    const [all] = await decided('reads-all', 1)
    expect(all).toMatchObject({ state: 'started', cause: `warehouse.public.one by run ${again}, warehouse.public.two by run ${two}` })
    expect(await begunByStart(bench.engine, all!.run as number)).toMatchObject({ start: 'ready', why: null })
    expect(await cameAfter(bench.engine, all!.run as number)).toEqual([])
    // as if its run still went on while one of them was refreshed
    await bench.own('update mattock.run set ended_at = null where id = $1', [all!.run])
    const later = await bench.load(writer('one'))
    await bench.own(`update mattock.touch set at = (select created_at + interval '1 millisecond' from mattock.run where id = $1) where run_id = $2`, [all!.run, later])
    expect(await cameAfter(bench.engine, all!.run as number)).toMatchObject([{ dataset: 'warehouse.public.one', run: later }])
    expect(one).toBeLessThan(again)
    // from here on both are waited for again
    await decided('reads-any', 4)
    expect(await decided('reads-all', 1)).toHaveLength(1)
  }) // prettier-ignore
})

describe('what keeps a start from beginning', () => {
  it('a pause, with its reason; what came meanwhile is made up for when it ends', async () => {
    await clock('2026-11-25T12:00:00Z')
    await save(plain('paused', `  - {id: quarters, clock: {cron: '*/15 * * * *'}}`))
    await save(plain('paused-after', `  - {id: then, ended: {job: paused-first}}`))
    // one beside it, looked at first, that counts from after the pause: it hides no reason of the others
    await save(plain('beside', `  - {id: hours, clock: {cron: '0 * * * *'}}`))
    scheduler()
    await known('paused')
    const id = await pauseStarts(bench.engine, { environment: 'dev', why: 'the warehouse moves', by: 'ana' })
    await bench.load(plain('paused-first', '  []'))
    await bench.load(plain('paused-first', '  []'))
    await clock('2026-11-25T12:50:00Z')
    await pauseLook()
    expect(await bench.own(`select 1 from mattock.occasion where job = 'paused'`)).toEqual([])
    expect((await bench.own(`select state, why from mattock.occasion where job = 'paused-after' order by id`)).map(({ state, why }) => [state, why])).toEqual([
      ['paused', 'paused by ana: the warehouse moves'],
      ['paused', 'paused by ana: the warehouse moves'],
    ])
    await bench.own(`update mattock.start_state set since = '2026-11-25T12:50:01Z', next_at = '2026-11-25T11:00:00Z' where job = 'beside'`)
    await endPause(bench.engine, id, 'ben')
    const rows = await decided('paused', 3)
    expect(rows.map(({ state }) => state)).toEqual(['skipped', 'skipped', 'started'])
    expect(rows[2]!.why).toBe('begun 5 min late, for 3 that went by: paused by ana: the warehouse moves')
    expect((await decided('paused-after', 2)).map(({ state }) => state)).toEqual(['skipped', 'started'])
  })
  it('a pause of one job or start leaves the others, and ends by itself', async () => {
    await clock('2026-11-25T12:00:00Z')
    await save(plain('two-starts', `  - {id: a, clock: {cron: '0 13 * * *'}}\n  - {id: b, clock: {cron: '0 13 * * *'}}`))
    scheduler()
    await known('two-starts')
    await pauseStarts(bench.engine, { environment: 'dev', job: 'two-starts', start: 'a', until: '2026-11-25T14:00:00Z', why: 'no', by: 'ana' })
    await clock('2026-11-25T12:59:59.500Z')
    expect((await decided('two-starts', 1)).map(({ start }) => start)).toEqual(['b'])
    await clock('2026-11-25T13:59:59.800Z')
    expect((await decided('two-starts', 2)).map(({ start, why }) => [start, why])).toContainEqual(['a', 'begun 1 h late: paused by ana: no'])
    await expect(pauseStarts(bench.engine, { environment: 'dev', job: 'nothing', why: 'x', by: 'ana' })).rejects.toThrow('no starts')
  })
  it('a pause that comes again: its spans, and not what is between them', async () => {
    await clock('2026-11-25T12:00:00Z')
    await save(plain('upkeep', `  - {id: quarters, clock: {cron: '*/30 * * * *'}}`))
    scheduler()
    await known('upkeep')
    const again = { cron: '20 * * * *', zone: 'UTC', lasts: 'PT30M' }
    const id = await pauseStarts(bench.engine, { environment: 'dev', job: 'upkeep', again, why: 'the disks are looked over', by: 'ana' })
    await clock('2026-11-25T12:40:00Z')
    await until('it is looked at again at the end', async () => time((await states('upkeep'))[0]!.next) === '2026-11-25T12:50')
    expect(await bench.own(`select 1 from mattock.occasion where job = 'upkeep'`)).toEqual([])
    // it ends by itself, and 13:00 is as ever
    await clock('2026-11-25T12:49:59.900Z')
    const why = 'begun 20 min late: paused by ana: the disks are looked over'
    expect((await decided('upkeep', 1)).map((row) => [time(row.at), row.why])).toEqual([['2026-11-25T12:30', why]])
    await clock('2026-11-25T12:59:59.900Z')
    expect((await decided('upkeep', 2)).map((row) => [time(row.at), row.why])).toContainEqual(['2026-11-25T13:00', null])
    // ended this once, it comes again
    await clock('2026-11-25T13:40:00Z')
    await pauseLook()
    await endPause(bench.engine, id, 'ben', true)
    expect((await decided('upkeep', 3)).map((row) => time(row.at))).toContain('2026-11-25T13:30')
    await expect(endPause(bench.engine, id, 'ben', true)).rejects.toThrow('it does not go on now')
    await clock('2026-11-25T14:31:00Z')
    await until('it is paused again', async () => time((await states('upkeep'))[0]!.next) === '2026-11-25T14:50')
    await endPause(bench.engine, id, 'ben')
    expect((await decided('upkeep', 5)).map((row) => time(row.at))).toContain('2026-11-25T14:30')
  })
  it('nothing: one that cannot be decided about keeps no other from its time, and is told', async () => {
    await clock('2026-11-25T12:00:00Z')
    for (const name of ['broken', 'sound']) await save(daily(name, `  - {id: a, clock: {cron: '0 13 * * *', zone: UTC}}`))
    // as it may stand in a store: a rule that was let through once
    scheduler()
    await known('broken')
    await known('sound')
    await bench.own(`update mattock.job_version set text = replace(text, '0 13 * * *', '0 13 * * * *') where job = 'broken'`)
    await clock('2026-11-25T12:59:59.800Z')
    expect(await decided('sound', 1)).toHaveLength(1)
    expect(await decided('broken', 1)).toMatchObject([
      { state: 'failed', why: expect.stringContaining('has 6 fields'), run: null },
    ])
  })
  it('an environment that is not live is paused until somebody turns it on', async () => {
    await bench.own(`insert into mattock.environment (name, position) values ('new', 9)`)
    expect((await bench.own(`select why from mattock.pause where environment = 'new'`))[0]!.why).toContain('until somebody turns it on here')
    await bench.own(`delete from mattock.environment where name = 'new'`)
  })
  it('a run that still goes on, where the job refuses a second; a plan that stops; nothing to load', async () => {
    await clock('2026-11-25T12:59:59.500Z')
    await save(plain('refuses', `  - {id: a, clock: {cron: '0 13 * * *'}}`, 'at_once_runs: refuse').replace('insert', 'select pg_sleep(3); insert'))
    await save(plain('refuses-too', `  - {id: a, clock: {cron: '0 13 * * *'}}`).replace('on: warehouse', 'on: nowhere'))
    await bench.own('update mattock.run set state = state')
    scheduler()
    await decided('refuses-too', 1).then(([one]) => expect(one).toMatchObject({ state: 'failed', why: expect.stringContaining('stops the run') }))
    await decided('refuses', 1)
    await clock('2026-11-26T12:59:59.900Z')
    await until('its run goes on', async () => (await bench.own(`select 1 from mattock.run where job = 'refuses' and state = 'running'`)).length === 1)
    await bench.own(`insert into mattock.occasion (environment, job, start, kind, key, at, state, cause, decided_at, not_before) values ('dev', 'refuses', 'a', 'clock', 'second', mattock.clock(), 'due', 'again', now(), now())`)
    const rows = await decided('refuses', 3)
    expect(rows.find(({ cause }) => cause === 'again')).toMatchObject({ state: 'skipped', why: expect.stringContaining('refuses a second one') })
  })
}) // prettier-ignore
