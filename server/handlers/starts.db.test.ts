import ICAL from 'ical.js'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { plainRoutes } from '../../contract/plain'
import { routes } from '../../contract/routes'
import { syncStarts } from '../../engine/scheduling/states'
import { testServer, type TestServer } from '../../tests/support/server'
import { pace } from '../../tests/support/pace'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker(2)
  await server.own('delete from mattock.pause')
  await server.own(
    `insert into mattock.shown_clock (real, shown) values (clock_timestamp(), '2026-11-25T12:00:00Z')`,
  )
})
afterAll(() => server.close())

const dev = { environment: 'dev' }
const day = { ...dev, from: '2026-11-25T00:00:00Z', until: '2026-11-26T12:00:00Z' }
const job = (name: string, starts: string, more = '') => `mattock: job/1
name: ${name}
title: The ${name}
${more}starts:
${starts}
parts:
  - each: {roster: {range: {from: 1, to: 4}}, at_once: 2}
    do:
      - {id: write, sql: {on: warehouse, text: "select pg_sleep(0.05), {row.value}"}}
`
const save = async (name: string, starts: string, more = '') => {
  await server.engineer.call(routes.saveJob, { params: { name }, body: { text: job(name, starts, more), base: 0 } })
  await syncStarts(server.engine)
} // prettier-ignore

describe('what will begin', () => {
  it('is foreseen from how long like runs took, with what follows and by when it is due', async () => {
    await server.load(
      job('night', '  - {id: two, clock: {cron: "10 2 * * *", zone: Europe/Oslo}}', 'due: "04:00"\n'),
    )
    await save('report', '  - {id: then, ended: {job: night}}', 'due: PT1M\n')
    await syncStarts(server.engine)
    const { foreseen, jobs, workers, busy, past } = await server.reader.call(routes.starts, { query: day })
    expect(workers).toBe(2)
    expect(jobs.map(({ job: name, zone, due }) => [name, zone, due])).toEqual([
      ['night', 'Europe/Oslo', '04:00'],
      ['report', 'UTC', 'PT1M'],
    ])
    expect(jobs[0]!.starts).toMatchObject([
      {
        id: 'two',
        kind: 'clock',
        text: 'at 02:10',
        zone: 'Europe/Oslo',
        next: '2026-11-26T01:10:00.000Z',
        pause: null,
      },
    ])
    expect(
      foreseen.map(({ job: name, at, after, due }) => [name, at.slice(0, 16), after, due?.slice(0, 16)]),
    ).toEqual([
      ['night', '2026-11-26T01:10', [], '2026-11-26T03:00'],
      ['report', '2026-11-26T01:10', [0], '2026-11-26T01:11'],
    ])
    // four loads of 50 ms, two at a time
    const [night] = foreseen
    const took = Date.parse(night!.ends) - Date.parse(night!.at)
    expect(took).toBeGreaterThanOrEqual(100)
    expect(took).toBeLessThan(3000 * pace())
    expect(foreseen[1]!.unknown).toBe(true)
    expect(Math.max(...busy.map(({ loads }) => loads))).toBe(2)
    // what was begun by hand goes by the same clock
    expect(past).toMatchObject([{ job: 'night', state: 'done' }])
    expect(await server.reader.call(routes.nextStarts, { query: { ...dev, hours: 24 } })).toMatchObject([
      {
        job: 'night',
        at: '2026-11-26T01:10:00.000Z',
        cause: 'at 02:10',
        slice: null,
        forecast: { seconds: took / 1000 },
      },
      { job: 'report', cause: 'when night is done', forecast: null },
    ])
  })
  it('is played through with a start at another time, and other workers, and nothing is changed by that', async () => {
    const moved = [{ job: 'night', start: 'two', given: { cron: '10 5 * * *', zone: 'Europe/Oslo' } }]
    const played = await server.reader.call(routes.playStarts, { body: { ...day, moved, workers: 1 } })
    expect(played.foreseen[0]!.at).toBe('2026-11-26T04:10:00.000Z')
    expect(Math.max(...played.busy.map(({ loads }) => loads))).toBe(1)
    expect(played.crowded).toHaveLength(1)
    const { foreseen } = await server.reader.call(routes.starts, { query: day })
    expect(foreseen[0]!.at).toBe('2026-11-26T01:10:00.000Z')
  })
  it('is played through with the caps of its connections, and with others', async () => {
    const { caps, capped } = await server.reader.call(routes.playStarts, { body: day })
    expect([caps, capped]).toEqual([[{ connection: 'warehouse', cap: 8 }], []])
    const narrow = await server.reader.call(routes.playStarts, { body: { ...day, caps: { warehouse: 1 } } })
    expect(Math.max(...narrow.busy.map(({ loads }) => loads))).toBe(1)
    expect([narrow.capped.every(({ connection }) => connection === 'warehouse'), narrow.capped.length > 0, narrow.crowded]).toEqual([true, true, []])
    expect((await server.reader.fault(routes.playStarts, { body: { ...day, caps: { warehouse: 0 } } })).code).toBe('request')
  }) // prettier-ignore
  it('knows what loads that wait wait for, and whether anything brings it', async () => {
    const sliced = (name: string, each: string, starts = '') => `mattock: job/1\nname: ${name}\ntitle: The ${name}\nslices: {every: P1D, zone: UTC, from: 2026-11-20}\n${starts}parts:\n  - each: {roster: {range: {from: 1, to: 3}}${each}}\n    do: [{id: take, transfer: {from: {store: drop, files: "{row.value}_{slice.label}.csv"}, into: {connection: warehouse, table: public.taken, write: append}}}]\n`
    const put = async (text: string, base = 0) => {
      await server.engineer.call(routes.saveJob, { params: { name: /name: (.*)/.exec(text)![1]! }, body: { text, base } })
      await syncStarts(server.engine)
    }
    const begin = async (name: string) => {
      const { id } = await server.engineer.call(routes.makePlan, { body: { job: name, environment: 'dev', span: '2026-11-24' } })
      return (await server.engineer.call(routes.startRun, { body: { plan: id } })).run
    }
    await put(sliced('source', ''))
    await put(sliced('waiting', ', waits: [{job: {name: source}}]', 'due: "14:00"\n'))
    await put(sliced('filed', ', waits: [{files: {}}]'))
    const runs = [await begin('waiting'), await begin('filed')]
    const stuck = async () => (await server.reader.call(routes.playStarts, { body: day })).foreseen.filter(({ run }) => runs.includes(run!)).map((run) => [run.job, run.stuck, run.ends < '2026-11-26T12:00'])
    expect(await stuck()).toEqual([['waiting', '2026-11-24 of The source', false], ['filed', 'its files', false]])
    await put(sliced('source', '', 'starts: [{id: two, clock: {cron: "0 14 * * *", zone: UTC}}]\n'), 1)
    expect(await stuck()).toEqual([['waiting', null, true], ['filed', 'its files', false]])
    for (const run of runs) await server.engineer.call(routes.stopRun, { params: { id: run }, body: {} })
    await put(sliced('source', ''), 2)
  }) // prettier-ignore
  it('refuses spans and environments that cannot be', async () => {
    expect(
      await server.reader.fault(routes.starts, { query: { ...day, until: '2027-11-26' } }),
    ).toMatchObject({ code: 'request', status: 400 })
    expect(
      await server.reader.fault(routes.starts, { query: { ...day, environment: 'devv' } }),
    ).toMatchObject({ code: 'unknown-name' })
    const moved = [{ job: 'night', start: 'two', given: { cron: 'whenever' } }]
    expect(await server.reader.fault(routes.playStarts, { body: { ...day, moved } })).toMatchObject({
      code: 'cron',
      status: 400,
    })
  })
  it('comes out as a calendar that another library reads', async () => {
    const answer = await server.reader.fetch(`${plainRoutes.startsCalendar.path}?environment=dev`)
    expect(answer.headers.get('content-type')).toContain('text/calendar')
    const text = await answer.text()
    // lines of at most 75 octets, each ended by CR LF (RFC 5545, 3.1)
    for (const line of text.split('\r\n')) expect(Buffer.byteLength(line)).toBeLessThanOrEqual(75)
    const events = new ICAL.Component(ICAL.parse(text) as never[])
      .getAllSubcomponents('vevent')
      .map((one) => new ICAL.Event(one))
    expect(events.filter(({ summary }) => summary === 'The night')).toHaveLength(14)
    expect(events[0]!.startDate.toJSDate().toISOString()).toBe('2026-11-26T01:10:00.000Z')
    expect(new Set(events.map(({ uid }) => uid)).size).toBe(events.length)
    const again = await (
      await server.reader.fetch(`${plainRoutes.startsCalendar.path}?environment=dev`)
    ).text()
    expect(again.match(/^UID:.*$/gm)).toEqual(text.match(/^UID:.*$/gm))
    expect((await server.nobody.fetch(`${plainRoutes.startsCalendar.path}?environment=dev`)).status).toBe(401)
  })
})

describe('starts of a text', () => {
  const preview = async (starts: string) =>
    (await server.reader.call(routes.previewStarts, { body: { ...dev, text: job('previewed', starts) } }))
      .starts
  it('are said in words, with the next twenty times and the changes of the clock between them', async () => {
    const [one] = await preview('  - {id: weekly, clock: {cron: "30 2 * * sun", zone: Europe/Oslo}}')
    expect(one).toMatchObject({
      text: 'at 02:30, only on Sunday',
      zone: 'Europe/Oslo',
      waitsFor: [],
      unknown: [],
      circle: null,
    })
    expect(one!.next).toHaveLength(20)
    // the 29th of March 2027 is a Monday: the clock is set forward on Sunday the 28th
    expect(one!.next.filter(({ change }) => change !== null)).toEqual([
      { at: '2027-03-28T01:30:00.000Z', slice: null, change: 'forward' },
    ])
  })
  it('that would begin each other for ever, or wait for a job that is not there, are told', async () => {
    const [circle] = await preview('  - {id: a, ended: {job: report}}')
    expect(circle!.circle).toBeNull()
    await save('round', '  - {id: a, ended: {job: previewed}}')
    expect((await preview('  - {id: a, ended: {job: round}}'))[0]!.circle).toEqual([
      'previewed',
      'round',
      'previewed',
    ])
    expect((await preview('  - {id: a, ended: {job: nothing}}'))[0]!.unknown).toEqual(['nothing'])
  })
  it('of a text that cannot be read are none', async () => {
    expect(await preview('  - {id: a, clock: {cron: "99 * * * *"}}')).toEqual([])
  })
})

describe('pauses', () => {
  it('are for who may run, with a reason, and are said where they hold', async () => {
    const why = 'year’s end'
    expect(await server.reader.fault(routes.pauseStarts, { body: { ...dev, why } })).toMatchObject({ code: 'forbidden' })
    expect(await server.operator.fault(routes.pauseStarts, { body: { ...dev, why: ' ' } })).toMatchObject({ status: 400 })
    expect(await server.operator.fault(routes.pauseStarts, { body: { ...dev, job: 'night', start: 'none', why } })).toMatchObject({ code: 'unknown-name' })
    expect(await server.operator.fault(routes.pauseStarts, { body: { ...dev, until: '2026-11-25T11:00:00Z', why } })).toMatchObject({ code: 'request' })
    const { pause } = await server.operator.call(routes.pauseStarts, { body: { ...dev, job: 'night', until: '2026-11-27T00:00:00Z', why } })
    const { jobs, held, foreseen, pauses } = await server.reader.call(routes.starts, { query: day })
    expect(jobs[0]!.starts[0]!.pause).toMatchObject({ id: pause, by: 'the operator', why })
    expect(held).toEqual([{ job: 'night', start: 'two', at: '2026-11-26T01:10:00.000Z', pause }])
    expect(foreseen).toEqual([])
    expect(pauses).toHaveLength(1)
    expect(await server.reader.fault(routes.endPause, { params: { id: pause } })).toMatchObject({ code: 'forbidden' })
    await server.operator.call(routes.endPause, { params: { id: pause } })
    expect(await server.operator.fault(routes.endPause, { params: { id: pause } })).toMatchObject({ code: 'unknown-name' })
    expect((await server.reader.call(routes.starts, { query: day })).held).toEqual([])
  })
  it('that come again are said with their next spans, and what they keep is foreseen for when they end', async () => {
    const why = 'upkeep'
    const again = { cron: '0 1 * * *', zone: 'UTC', lasts: 'PT4H' }
    const asked = { ...dev, job: 'night', why }
    for (const [wrong, where] of [[{ cron: '0 1 * *' }, 'again.cron'], [{ zone: 'Oslo' }, 'again.zone'], [{ lasts: 'P2D' }, 'again.lasts']] as const)
      expect(await server.operator.fault(routes.pauseStarts, { body: { ...asked, again: { ...again, ...wrong } } })).toMatchObject({ status: 400, where: { path: where } })
    const { pause } = await server.operator.call(routes.pauseStarts, { body: { ...asked, again } })
    const { jobs, held, foreseen, pauses } = await server.reader.call(routes.starts, { query: day })
    // the one before was of these hours, too, and is over
    expect(pauses).toMatchObject([{ endedBy: 'the operator' }, { id: pause, again, words: 'at 01:00, for 4 h, by the clock of UTC', until: null }])
    expect(pauses[1]!.spans).toEqual([
      { from: '2026-11-26T01:00:00.000Z', until: '2026-11-26T05:00:00.000Z' },
      { from: '2026-11-27T01:00:00.000Z', until: '2026-11-27T05:00:00.000Z' },
    ])
    // it is not paused now; its run of that night begins when the pause is over, and what follows it after that
    expect(jobs[0]!.starts[0]!.pause).toBeNull()
    expect(held).toEqual([{ job: 'night', start: 'two', at: '2026-11-26T01:10:00.000Z', pause }])
    expect(foreseen.map((run) => [run.job, run.at.slice(0, 16)])).toEqual([['night', '2026-11-26T05:00'], ['report', '2026-11-26T05:00']])
    // who says that missed times are left out has none
    const text = job('night', '  - {id: two, missed: skip, clock: {cron: "10 2 * * *", zone: Europe/Oslo}}', 'due: "04:00"\n')
    const { newest } = await server.reader.call(routes.job, { params: { name: 'night' } })
    await server.engineer.call(routes.saveJob, { params: { name: 'night' }, body: { text, base: newest } })
    await syncStarts(server.engine)
    expect((await server.reader.call(routes.starts, { query: day })).foreseen).toEqual([])
    expect(await server.operator.fault(routes.endPause, { params: { id: pause }, query: { once: 'true' } })).toMatchObject({ code: 'request' })
    await server.operator.call(routes.endPause, { params: { id: pause } })
  })
  it('decisions are listed by job and by what was decided', async () => {
    await server.own(`insert into mattock.occasion (environment, job, start, kind, key, at, state, cause, why, decided_at, not_before)
      select 'dev', 'night', 'two', 'clock', n::text, '2026-11-20T01:10:00Z'::timestamptz + n * interval '1 day', case when n = 3 then 'skipped' else 'started' end, 'at 02:10', case when n = 3 then 'no' end, now(), now() from generate_series(1, 5) n`)
    const all = await server.reader.call(routes.occasions, { query: { ...dev, limit: 2 } })
    expect(all.total).toBe(5)
    expect(all.occasions.map(({ at, title }) => [at.slice(0, 10), title])).toEqual([['2026-11-25', 'The night'], ['2026-11-24', 'The night']])
    expect((await server.reader.call(routes.occasions, { query: { ...dev, state: 'skipped' } })).occasions).toMatchObject([{ why: 'no' }])
    expect((await server.reader.call(routes.occasions, { query: { ...dev, job: 'report' } })).total).toBe(0)
  })
}) // prettier-ignore

describe('slices that are cut otherwise', () => {
  it('before it is saved it is said what becomes of those that were loaded', async () => {
    const text = (every: string) => `mattock: job/1
name: cut
title: Cut
slices: {every: ${every}, zone: UTC, from: 2026-01-01}
parts:
  - each: {roster: {rows: [{n: 1}]}}
    do: [{id: tell, log: {text: '{slice.label}'}}]
`
    await server.load(text('P1D'), { span: '2026-11-01/2026-11-06' })
    const effect = async (every: string) => await server.reader.call(routes.jobEffect, { params: { name: 'cut' }, body: { ...dev, text: text(every) } }).catch(() => undefined)
    const engineer = async (every: string) => await server.engineer.call(routes.jobEffect, { params: { name: 'cut' }, body: { ...dev, text: text(every) } })
    // who may only look does not try out other texts
    expect(await effect('P1W')).toBeUndefined()
    expect((await engineer('P1D')).cut).toBeNull()
    expect((await engineer('PT1H')).cut).toMatchObject({ loaded: 5, stay: 0, parted: 5, cut: 0 })
    expect((await engineer('P2D')).cut).toMatchObject({ loaded: 5, cut: 5, example: { loaded: { from: '2026-11-01T00:00:00.000Z', to: '2026-11-02T00:00:00.000Z' } } })
  })
}) // prettier-ignore

describe('what is planned and begun by hand', () => {
  it('goes by the same clock as starts: its newest slice, and the times of its run', async () => {
    const text = `mattock: job/1
name: by-hand
title: By hand
slices: {every: P1D, zone: UTC, from: 2026-11-01}
parts:
  - each: {roster: {rows: [{n: 1}]}, slices: true}
    do: [{id: say, log: {text: "{slice.label}, {run.started}"}}]
`
    await server.engineer.call(routes.saveJob, { params: { name: 'by-hand' }, body: { text } })
    expect((await server.engineer.call(routes.job, { params: { name: 'by-hand' } })).newestSlice).toBe(
      '2026-11-24',
    )
    const { id } = await server.engineer.call(routes.makePlan, { body: { job: 'by-hand', ...dev } })
    const { run } = await server.engineer.call(routes.startRun, { body: { plan: id } })
    await server.ended(run)
    const { startedAt, endedAt } = await server.engineer.call(routes.run, { params: { id: run } })
    const [clock] = await server.own('select mattock.clock() as at')
    for (const at of [startedAt!, endedAt!]) {
      expect(Date.parse(at)).toBeGreaterThan(Date.parse('2026-11-25T12:00:00Z'))
      expect(Date.parse(at)).toBeLessThanOrEqual(Date.parse(clock!.at as string))
    }
    const { loads } = await server.engineer.call(routes.runLoads, { params: { id: run }, query: {} })
    const { detail } = await server.engineer.call(routes.runLoad, { params: { id: run, load: loads[0]!.id } })
    expect(detail[0]!.log.join()).toMatch(/2026-11-24, 2026-11-25T12:/)
    const again = await server.engineer.call(routes.rerun, {
      params: { id: run },
      body: { from: { step: 'say' } },
    })
    await server.ended(again.run)
    const next = await server.engineer.call(routes.run, { params: { id: again.run } })
    expect(Date.parse(next.createdAt)).toBeGreaterThan(Date.parse(startedAt!))
  })
})
