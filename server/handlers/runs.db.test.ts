import { readdirSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
let run: number
beforeAll(async () => {
  server = await testServer()
  await server.worker()
  await server.rows('create schema raw')
  await server.rows('create table raw.reading (meter text primary key, value integer check (value < 100))')
  server.writeFile('good.csv', 'meter,value\na,1\nb,2\n')
  server.writeFile('some.csv', 'meter,value\nc,3\nd,many\n"e ""x""",5\n')
  server.writeFile('bad.csv', 'meter,value\nf,1\ng,200\nh,300\n')
  run = await server.load(document)
})
afterAll(() => server.close())

const document = `mattock: job/1
name: readings
title: Readings
parts:
  - each: {roster: {rows: [{file: good}, {file: some}, {file: bad}, {file: gone}]}, at_once: 2}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.file}.csv"}
          into: {connection: warehouse, table: raw.reading, write: upsert, key: [meter]}
          types: {value: integer}
          rejects: {up_to: 1}
`
const at = () => ({ params: { id: run } })
const loadOf = async (key: string) =>
  (await server.reader.call(routes.runLoads, at())).loads.find((load) => load.key === key)!

describe('a run', () => {
  it('counts its loads by state, and its rows so that they balance', async () => {
    const found = await server.reader.call(routes.run, at())
    expect(found).toMatchObject({
      state: 'failed',
      loads: { done: 2, failed: 2 },
      counts: { read: 5, written: 4, unchanged: 0, rejected: 1, filtered: 0, merged: 0 },
      unbalanced: 0,
    })
  })

  it('groups what failed by cause, with the message and what to do', async () => {
    const { causes } = await server.reader.call(routes.run, at())
    expect(causes.map(({ count, step }) => [count, step])).toEqual([
      [1, 'bring-in'],
      [1, 'bring-in'],
    ])
    const messages = causes.map(({ message }) => message).join('\n')
    expect(messages).toContain('reading_value_check')
    expect(messages).toContain('gone.csv')
    expect(causes.every(({ advice }) => advice !== '')).toBe(true)
  })

  it('gives its loads by page, state, cause, name and order', async () => {
    const loads = (query: object) => server.reader.call(routes.runLoads, { ...at(), query })
    expect((await loads({ state: 'done' })).loads.map(({ key }) => key).sort()).toEqual(['good', 'some'])
    expect((await loads({ search: 'GOO' })).loads.map(({ key }) => key)).toEqual(['good'])
    expect((await loads({ order: 'failed' })).loads[0]!.key).toBe('bad')
    const first = await loads({ order: 'plan', limit: 1 })
    const second = await loads({ order: 'plan', limit: 1, offset: 1 })
    expect([first.total, first.loads[0]!.key, second.loads[0]!.key]).toEqual([4, 'good', 'some'])
    const { causes } = await server.reader.call(routes.run, at())
    expect((await loads({ cause: causes[0]!.cause })).total).toBe(1)
    expect((await loads({ search: '%' })).total).toBe(0)
  })

  it('tells all of a load: its file with checksum, its statements, texts, reasons', async () => {
    const { id } = await loadOf('some')
    const load = await server.operator.call(routes.runLoad, { params: { id: run, load: id } })
    expect(load).toMatchObject({ row: { file: 'some' }, slice: null, attempt: 1, read: 3, rejected: 1 })
    const [step] = load.detail
    expect(step).toMatchObject({ step: 'bring-in', kind: 'transfer', state: 'done', hasRejects: true })
    expect(step!.files).toMatchObject([{ path: 'some.csv', size: 35 }])
    // sha256sum of the file's bytes
    expect(step!.files[0]!.sha256).toMatch(/^[0-9a-f]{64}$/)
    expect(step!.resolved).toContainEqual({ path: 'transfer.from.files', text: 'some.csv' })
    expect(Object.values(step!.rejectReasons)).toEqual([1])
    expect(step!.statements.length).toBeGreaterThan(0)
  })

  it('is not another’s: a load is found under its own run only', async () => {
    const { id } = await loadOf('some')
    expect(await server.reader.fault(routes.runLoad, { params: { id: run + 1, load: id } })).toMatchObject({
      status: 404,
    })
    expect(await server.reader.fault(routes.run, { params: { id: 424242 } })).toMatchObject({
      status: 404,
      message: 'there is no run 424242',
    })
  })

  it('answers bad numbers with a fault, not with a mistake of its own', async () => {
    for (const path of ['/api/runs/0.5', '/api/runs/x', '/api/runs/99999999999', '/api/runs/-1/loads'])
      expect([path, (await server.reader.fetch(path)).status]).toEqual([path, expect.toBeOneOf([400, 404])])
    const page = await server.reader.fetch(`/api/runs/${run}/loads?limit=100000`)
    expect(page.status).toBe(400)
  })

  it('as a document has every load, in the order of the plan', async () => {
    const shown = await server.reader.call(routes.showDocument, at())
    expect(shown.detail.map(({ key, state }) => [key, state])).toEqual([
      ['good', 'done'],
      ['some', 'done'],
      ['bad', 'failed'],
      ['gone', 'failed'],
    ])
    expect(shown.balance).toMatchObject({ read: 5, written: 4, rejected: 1, balanced: true })
    const { id } = await loadOf('some')
    const { controls: _, ...load } = await server.reader.call(routes.runLoad, {
      params: { id: run, load: id },
    })
    expect(shown.detail[1]).toEqual(load)
  })
})

describe('rejects', () => {
  const ask = async (query: object = {}) => {
    const { id } = await loadOf('some')
    return { params: { id: run, load: id }, query: { step: 'bring-in', ...query } }
  }

  it('have their place, their reason and their raw text', async () => {
    const { total, rows } = await server.operator.call(routes.rejects, await ask())
    expect(total).toBe(1)
    expect(rows[0]).toMatchObject({ file: 'some.csv', line: 3, column: 'value', raw: 'd,many' })
  })

  it('are taken out as CSV', async () => {
    const { params } = await ask()
    const path = `/api/runs/${params.id}/loads/${params.load}/rejects.csv?step=bring-in`
    const response = await server.operator.fetch(path)
    expect(response.status).toBe(200)
    expect(response.headers.get('content-type')).toMatch(/^text\/csv/)
    expect(await response.text()).toMatch(/^file,line,column,reason,raw\r?\nsome\.csv,3,value,/)
  })

  it('of a step that has none are not there', async () => {
    const { id } = await loadOf('good')
    const none = { params: { id: run, load: id }, query: { step: 'bring-in' } }
    expect(await server.operator.fault(routes.rejects, none)).toMatchObject({ status: 404 })
    expect(
      await server.operator.fault(routes.rejects, await ask({ step: '../../secret.key' })),
    ).toMatchObject({
      status: 404,
    })
  })

  it('whose file is gone are told so, and the server lives', async () => {
    const folder = join(server.folder, 'rejects', String(run))
    for (const name of readdirSync(folder)) rmSync(join(folder, name))
    const fault = await server.operator.fault(routes.rejects, await ask())
    expect(fault).toMatchObject({ status: 400, code: 'file' })
    const { params } = await ask()
    const file = await server.operator.fetch(
      `/api/runs/${params.id}/loads/${params.load}/rejects.csv?step=bring-in`,
    )
    expect(file.status).toBe(400)
    expect((await server.operator.fetch('/api/health')).status).toBe(200)
  })
})

describe('running again', () => {
  it('repeats the one load that is named, by its id', async () => {
    const { loads } = await server.reader.call(routes.runLoads, { params: at().params })
    const gone = loads.find(({ key }) => key === 'gone')!
    const { run: again } = await server.engineer.call(routes.rerun, { ...at(), body: { loads: [gone.id] } })
    await server.ended(again)
    const { loads: only } = await server.reader.call(routes.runLoads, { params: { id: again } })
    expect(only.map(({ key }) => key)).toEqual(['gone'])
    await server.own('delete from mattock.run where id = $1', [again])
  })

  it('repeats what failed, and nothing that is done', async () => {
    server.writeFile('bad.csv', 'meter,value\nf,1\ng,20\n')
    server.writeFile('gone.csv', 'meter,value\nh,1\n')
    const { run: again } = await server.engineer.call(routes.rerun, { ...at(), body: {} })
    await server.ended(again)
    const found = await server.reader.call(routes.run, { params: { id: again } })
    expect(found).toMatchObject({ state: 'done', rerunOf: run, cause: `rerun of ${run}` })
    const { loads } = await server.reader.call(routes.runLoads, { params: { id: again } })
    expect(loads.map(({ key }) => key).sort()).toEqual(['bad', 'gone'])
  })

  it('of a run that left nothing over says so', async () => {
    const good = await server.load(document.replace(/\[\{file: good.*\]\}/, '[{file: good}]}').replace('name: readings', 'name: other')) // prettier-ignore
    expect(await server.engineer.fault(routes.rerun, { params: { id: good }, body: {} })).toMatchObject({
      code: 'no-loads',
    })
  })

  it('refuses to stop what has ended', async () => {
    expect(await server.engineer.fault(routes.stopRun, at())).toMatchObject({
      status: 409,
      code: 'not-running',
    })
  })
})

describe('the list of runs', () => {
  it('is newest first, by job, state and span of time', async () => {
    const all = await server.reader.call(routes.runs)
    expect(all.runs.map(({ id }) => id)).toEqual([...all.runs.map(({ id }) => id)].sort((a, b) => b - a))
    const failed = await server.reader.call(routes.runs, { query: { state: 'failed', job: 'readings' } })
    expect(failed.runs.map(({ id }) => id)).toEqual([run])
    const { createdAt } = failed.runs[0]!
    expect((await server.reader.call(routes.runs, { query: { until: createdAt } })).total).toBe(0)
    expect((await server.reader.call(routes.runs, { query: { since: createdAt } })).total).toBe(all.total)
    expect((await server.reader.call(routes.runs, { query: { environment: 'live' } })).total).toBe(0)
  })

  it('refuses a time that is none', async () => {
    for (const since of ['yesterday', 'infinity', '2026-13-01'])
      expect((await server.reader.fetch(`/api/runs?since=${since}`)).status).toBe(400)
  })
})
