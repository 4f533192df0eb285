import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
const environment = 'dev'
beforeAll(async () => {
  server = await testServer()
  await server.worker(4)
  await server.rows('create schema raw')
  await server.rows('create table raw.r (meter text primary key, value integer)')
  for (const name of ['a', 'b', 'c']) server.writeFile(`${name}.csv`, `meter,value\n${name},1\n`)
  await server.engineer.call(routes.createControl, {
    body: {
      name: 'feeds',
      title: 'Feeds',
      columns: [{ name: 'feed', type: 'text' }, { name: 'file', type: 'text' }],
      key: ['feed'],
      rows: ['a', 'b', 'c'].map((feed) => ({ feed, file: `${feed}.csv` })),
    },
  }) // prettier-ignore
})
afterAll(() => server.close())

const part = (id: string, more = '') => `  - id: ${id}
    each: {roster: {control: feeds}${more}}
    do:
      - {id: ${id}-in, transfer: {from: {store: drop, files: "{row.file}"}, into: {connection: warehouse, table: raw.r, write: upsert, key: [meter]}}}
`
const job = (name: string, parts: string, more = '') => `mattock: job/1
name: ${name}
title: ${name}
${more}parts:
  - once: [{id: prepare, sql: {on: warehouse, text: "select 1"}}]
${parts}`
const setFile = async (feed: string, file: string) => {
  const at = { params: { name: 'feeds' }, query: { environment } }
  const table = await server.engineer.call(routes.controlTable, at)
  const row = table.rows.findIndex((one) => one.feed === feed)
  const edit = { kind: 'change' as const, key: { feed }, version: table.versions[row]!, set: { file } }
  await server.engineer.call(routes.editControl, { ...at, body: { edits: [edit] } })
}
/** The loads of a plan that are to run, each with the file it reads. */
const toRun = async (id: number) => {
  const { loads } = await server.engineer.call(routes.planLoads, { params: { id }, query: { limit: 500 } })
  return loads.filter(({ left }) => !left).map(({ key, files }) => [key, files?.names[0]])
}
const anew = (run: number, loads?: number[]) =>
  server.engineer.call(routes.planAnew, { params: { id: run }, body: loads ? { loads } : {} })

describe('what a run did not get done, planned once more', () => {
  it('takes the row of now, and leaves out all that was done, what runs once among it', async () => {
    await setFile('b', 'away.csv')
    const run = await server.load(job('plain', part('one') + part('two', '')))
    expect((await server.engineer.call(routes.run, { params: { id: run } })).loads).toMatchObject({
      done: 3,
      failed: 1,
      skipped: 3,
    })
    await setFile('b', 'b.csv')
    const plan = await anew(run)
    expect(plan).toMatchObject({ loads: 4, missing: [] })
    expect(await toRun(plan.id)).toEqual(['b', 'a', 'b', 'c'].map((key) => [key, `${key}.csv`]))
    const { run: next } = await server.engineer.call(routes.startRun, { body: { plan: plan.id } })
    await server.ended(next)
    expect(await server.engineer.call(routes.run, { params: { id: next } })).toMatchObject({ state: 'done', loads: { done: 4 } }) // prettier-ignore
    // what failed was done by a later run, and needs no decision any more
    const { decisions } = await server.engineer.call(routes.morning, { query: { environment } })
    expect(decisions.filter(({ job: of }) => of === 'plain')).toEqual([])
  })

  it('takes those that are named, whatever became of them, and the newest version of the job', async () => {
    const run = await server.load(job('named', part('one')))
    const { loads } = await server.engineer.call(routes.runLoads, { params: { id: run }, query: {} })
    const [c] = loads.filter(({ key }) => key === 'c')
    const text = job('named', part('first') + part('one')).replaceAll('{row.file}', '{row.feed}.csv')
    await server.engineer.call(routes.saveJob, { params: { name: 'named' }, body: { text } })
    const plan = await anew(run, [c!.id])
    const { parts, version } = await server.engineer.call(routes.plan, { params: { id: plan.id } })
    expect([parts.length, version]).toEqual([3, 2])
    // of the part of that name, which stands elsewhere now
    const { loads: planned } = await server.engineer.call(routes.planLoads, {
      params: { id: plan.id },
      query: {},
    })
    expect(planned.filter(({ left }) => !left).map(({ part: at, key }) => [at, key])).toEqual([[2, 'c']])
  })

  it('is of the slices that failed, each with its own row', async () => {
    const sliced = job('sliced', part('one', ', slices: true'), 'slices: {every: P1D, zone: UTC, from: 2026-01-01}\n').replaceAll('{row.file}', '{row.feed}-{slice.label}.csv') // prettier-ignore
    for (const name of ['a-2026-01-01', 'b-2026-01-01', 'b-2026-01-02', 'c-2026-01-02', 'c-2026-01-03'])
      server.writeFile(`${name}.csv`, `meter,value\n${name},1\n`)
    const run = await server.load(sliced, { span: '2026-01-01/2026-01-04' })
    const plan = await anew(run)
    expect((await toRun(plan.id)).map(([key]) => key)).toEqual([
      'c · 2026-01-01',
      'a · 2026-01-02',
      'a · 2026-01-03',
      'b · 2026-01-03',
    ])
  })

  it('tells of loads that the job has no more, and of nothing to do', async () => {
    await setFile('b', 'away.csv')
    const run = await server.load(job('fewer', part('one')))
    const at = { params: { name: 'feeds' }, query: { environment } }
    const { rows, versions } = await server.engineer.call(routes.controlTable, at)
    const gone = rows.findIndex(({ feed }) => feed === 'b')
    await server.engineer.call(routes.editControl, { ...at, body: { edits: [{ kind: 'remove', key: { feed: 'b' }, version: versions[gone]! }] } }) // prettier-ignore
    const plan = await anew(run)
    expect(plan).toMatchObject({ loads: 0, missing: ['b'] })
    expect(await toRun(plan.id)).toEqual([])
    const done = await server.load(job('done', part('one')))
    expect(await server.engineer.fault(routes.planAnew, { params: { id: done }, body: {} })).toMatchObject({
      status: 400,
      message: `all loads of run ${done} are done, or still go on`,
    })
    expect(await server.engineer.fault(routes.planAnew, { params: { id: done }, body: { loads: [1] } })).toMatchObject({ status: 400, message: `none of these loads is of run ${done}` }) // prettier-ignore
    expect(await server.engineer.fault(routes.planAnew, { params: { id: 424242 }, body: {} })).toMatchObject({ status: 404 }) // prettier-ignore
  })
})
