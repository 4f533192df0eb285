import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.rows('create schema raw')
  await server.rows('create table raw.r (meter text primary key, value integer)')
  server.writeFile('a.csv', 'meter,value\na,1\n')
})
afterAll(() => server.close())

const dev = { environment: 'dev' }
const job = (name: string, file: string, more = '') => `mattock: job/1
name: ${name}
title: ${name}
${more}parts:
  - each: {roster: {rows: [{file: ${file}}]}}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}.csv"}
          into: {connection: warehouse, table: raw.r, write: upsert, key: [meter]}
`
const morning = () => server.reader.call(routes.morning, { query: dev })

describe('what is going on now', () => {
  it('says aloud that there is no worker', async () => {
    expect(await server.reader.call(routes.now)).toMatchObject({
      runs: [],
      workers: { count: 0, capacity: 0 },
    })
  })

  it('counts the places of the workers that live', async () => {
    await server.worker(3)
    expect((await server.reader.call(routes.now)).workers).toEqual({
      count: 1,
      capacity: 3,
      busy: 0,
      idle: 1,
    })
    // a worker that has been silent for longer than it may is none
    await server.own(
      `insert into mattock.worker (host, pid, capacity, beat_at) values ('gone', 1, 5, now() - interval '1 minute')`,
    )
    expect((await server.reader.call(routes.now)).workers.count).toBe(1)
  })
})

describe('the morning sheet', () => {
  it('has nothing to decide where all went well', async () => {
    await server.load(job('fine', 'a'))
    const sheet = await morning()
    expect(sheet).toMatchObject({ decisions: [], done: 1, failed: 0 })
    expect(sheet.jobs.find((one) => one.job === 'fine')!.runs).toMatchObject([
      { state: 'done', loads: 1, rows: 1 },
    ])
  })

  it('lists what failed by cause, until it is done', async () => {
    const failed = await server.load(job('fails', 'gone'))
    const [decision] = (await morning()).decisions
    expect(decision).toMatchObject({ kind: 'failed', job: 'fails', run: failed, count: 1 })
    expect(decision!.text).toContain('gone.csv')
    server.writeFile('gone.csv', 'meter,value\nz,1\n')
    const { run } = await server.engineer.call(routes.rerun, { params: { id: failed }, body: {} })
    await server.ended(run)
    expect((await morning()).decisions).toEqual([])
  })

  it('groups what failed the same way in several runs, and one action is for all of them', async () => {
    const runs = []
    for (const file of ['x-1', "y' z", 'k']) runs.push(await server.load(job('same', file)))
    const [one, ...others] = (await morning()).decisions.filter(({ job: of }) => of === 'same')
    expect(others).toEqual([])
    expect(one).toMatchObject({ count: 3, run: runs[2], runs: [...runs].reverse(), title: 'same: 3 loads failed the same way, in 3 runs', controls: [] }) // prettier-ignore
    expect(one!.text).toMatch(/^(x-1|y' z|k), .*, such as: no file matches /)
    for (const id of runs)
      await server.engineer.call(routes.giveUpFailed, { params: { id }, body: { why: 'a test' } })
    expect((await morning()).decisions.filter(({ job: of }) => of === 'same')).toEqual([])
  })

  it('leads to the rows that a failed load was planned for, also of two keys and below a prefix', async () => {
    const create = (name: string, columns: string[], rows: object[]) =>
      server.engineer.call(routes.createControl, {
        body: { name, title: name, columns: columns.map((one) => ({ name: one, type: 'text' as const })), key: columns, rows: rows as never },
      }) // prettier-ignore
    await create('feeds', ['file'], [{ file: 'a' }, { file: "d's · x" }])
    await create('areas', ['area', 'n'], [{ area: 'north', n: '1' }])
    const text = job('two', 'a').replace(
      '{rows: [{file: a}]}',
      '{control: feeds, inner: {control: areas, prefix: of_}}',
    )
    const run = await server.load(text)
    const one = (await morning()).decisions.find(({ job: of }) => of === 'two')!
    expect(one).toMatchObject({ kind: 'failed', count: 1, run })
    const rows = [
      { control: 'feeds', key: "d's · x" },
      { control: 'areas', key: 'north · 1' },
    ]
    // who only looks is told of no row
    expect(one.controls).toEqual([])
    const sheet = await server.engineer.call(routes.morning, { query: dev })
    expect(sheet.decisions.find(({ job: of }) => of === 'two')!.controls).toEqual(rows)
    const { loads } = await server.engineer.call(routes.runLoads, {
      params: { id: run },
      query: { state: 'failed' },
    })
    const at = { params: { id: run, load: loads[0]!.id } }
    expect((await server.engineer.call(routes.runLoad, at)).controls).toEqual(rows)
    // a table that is gone leads nowhere, and the load is told all the same
    await server.own('drop table control.areas')
    expect((await server.engineer.call(routes.runLoad, at)).controls).toEqual(rows.slice(0, 1))
    await server.own(`delete from mattock.run where id = ${run}`)
  })

  it('names a slice that is over and was not taken up, of jobs that ran before', async () => {
    const sliced = job('daily', 'a', 'slices: {every: P1D, zone: UTC, from: 2026-01-01}\n')
    expect((await morning()).decisions.filter(({ kind }) => kind === 'not-run')).toEqual([])
    await server.load(sliced, { span: '2026-01-05' })
    const missing = (await morning()).decisions.filter(({ kind }) => kind === 'not-run')
    expect(missing).toMatchObject([{ job: 'daily', run: null }])
    expect(missing[0]!.title).toMatch(/is over and has not been loaded$/)
    const yesterday = new Date(Date.now() - 86_400_000).toISOString().slice(0, 10)
    const run = await server.load(sliced, { span: yesterday })
    expect((await morning()).decisions.filter(({ kind }) => kind === 'not-run')).toEqual([])
    // what was loaded while it was open is not all of it
    await server.own(`update mattock.run set created_at = '${yesterday}T12:00:00Z' where id = $1`, [run])
    const [early] = (await morning()).decisions.filter(({ kind }) => kind === 'not-run')
    expect(early!.title).toMatch(/is over and has not been loaded since$/)
    expect(early!.text).toBe('what is there of it was loaded before it was over')
    await server.own('update mattock.run set created_at = now() where id = $1', [run])
  })

  it('says which runs do not balance', async () => {
    const run = await server.load(job('off', 'a'))
    await server.own('update mattock.load set written = written + 5 where run_id = $1', [run])
    await server.own(
      'update mattock.run_part set written = written + 5, unbalanced = 1 where run_id = $1 and done > 0',
      [run],
    )
    const off = (await morning()).decisions.filter(({ kind }) => kind === 'unbalanced')
    expect(off).toMatchObject([{ run, job: 'off', count: 1 }])
    expect((await server.reader.call(routes.run, { params: { id: run } })).unbalanced).toBe(1)
    expect((await server.reader.call(routes.runDocument, { params: { id: run } })).balance.balanced).toBe(
      false,
    )
  })

  it('is of one environment', async () => {
    const sheet = await server.reader.call(routes.morning, { query: { environment: 'live' } })
    expect(sheet).toMatchObject({ decisions: [], done: 0 })
  })
})

describe('live events (server-sent events, HTML standard 9.2)', () => {
  it('name the runs that changed, to who is signed in', async () => {
    expect((await server.nobody.fetch('/api/events')).status).toBe(401)
    const abort = new AbortController()
    const response = await server.reader.fetch('/api/events', { signal: abort.signal })
    expect(response.headers.get('content-type')).toBe('text/event-stream')
    const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader()
    let heard = ''
    const hearing = (async () => {
      while (!/"runs":\[[^\]]*\d/.test(heard)) {
        const { value, done } = await reader.read()
        if (done) return
        heard += value
      }
    })()
    // heard from the moment that the listening stands, which the store alone knows
    while (
      (
        await server.own(
          `select 1 from pg_stat_activity where application_name = 'mattock events' and datname = current_database()`,
        )
      ).length === 0
    )
      await new Promise((resolve) => setTimeout(resolve, 20))
    const run = await server.load(job('heard', 'a'))
    await hearing
    abort.abort()
    expect(heard).toContain(String(run))
  })
})

describe('what is kept', () => {
  it('is to be seen by all, and set by who runs the house', async () => {
    const kept = await server.reader.call(routes.kept)
    expect(kept.find(({ kind }) => kind === 'runs')).toMatchObject({ days: 400, setBy: null })
    const body = { params: { kind: 'runs' as const }, body: { days: 30 } }
    expect(await server.reader.fault(routes.keepFor, body)).toMatchObject({ status: 403 })
    await server.keeper.call(routes.keepFor, body)
    const after = await server.reader.call(routes.kept)
    expect(after.find(({ kind }) => kind === 'runs')).toMatchObject({ days: 30, setBy: 'the keeper' })
    expect(await server.keeper.fault(routes.keepFor, { ...body, body: { days: 2 } })).toMatchObject({
      status: 400,
      where: { path: 'days' },
    })
    expect(await server.keeper.fault(routes.keepFor, { params: { kind: 'pigeons' as never }, body: { days: 5 } })).toMatchObject({ status: 400 }) // prettier-ignore
  })

  it('is taken away by a worker that is asked', async () => {
    await server.own(
      `update mattock.run set ended_at = ended_at - interval '90 days', created_at = created_at - interval '90 days' where job = 'fine'`,
    )
    await server.load(job('fine', 'a'))
    const { goes } = await server.keeper.call(routes.wouldGo, {
      params: { kind: 'runs' },
      query: { days: 30 },
    })
    expect(goes).toBe(1)
    await server.keeper.call(routes.tidy)
    while (
      (
        await server.own(
          `select 1 from mattock.run where job = 'fine' and ended_at < now() - interval '30 days'`,
        )
      ).length > 0
    )
      await new Promise((resolve) => setTimeout(resolve, 50))
  })

  it('tells of starts that could not begin, until one of them does, and of runs that will be late', async () => {
    await server.own(
      `insert into mattock.occasion (environment, job, start, kind, key, at, state, cause, why, decided_at, not_before)
       select 'dev', 'fine', 'night', 'clock', n::text, now() - n * interval '1 hour', 'failed', 'at 02:10', '1 finding stops the run: no file', now(), now() from generate_series(1, 3) n`,
    )
    const one = (await morning()).decisions.find(({ kind }) => kind === 'not-begun')
    expect(one).toMatchObject({ title: 'fine could not begin, 3 times', text: '1 finding stops the run: no file', job: 'fine' })
    await server.own(
      `insert into mattock.occasion (environment, job, start, kind, key, at, state, cause, decided_at, not_before) values ('dev', 'fine', 'night', 'clock', 'later', now(), 'started', 'at 02:10', now(), now())`,
    )
    expect((await morning()).decisions.filter(({ kind }) => kind === 'not-begun')).toEqual([])
    // a run that takes longer than it may: its job has ended once, after 90 minutes
    await server.own(`delete from mattock.pause`)
    const soon = new Date(Date.now() + 2 * 3_600_000)
    const slow = job('slow', 'a', `due: PT1H\nstarts: [{id: soon, clock: {cron: '${soon.getUTCMinutes()} ${soon.getUTCHours()} * * *'}}]\n`)
    const run = await server.load(slow)
    await server.own(`update mattock.load set started_at = ended_at - interval '90 minutes' where run_id = $1`, [run])
    const sheet = await morning()
    expect(sheet.decisions.find(({ kind }) => kind === 'late')).toMatchObject({ title: 'slow will likely be late by 30 min', text: expect.stringContaining('would not change that') })
    expect(sheet.jobs.find((each) => each.job === 'slow')!.foreseen).toMatchObject([{ late: true, unknown: false }])
  }) // prettier-ignore
})
