import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../contract/routes'
import { testServer, type TestServer } from './support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.own(
    `insert into mattock.shown_clock (real, shown) values (clock_timestamp(), '2026-11-11T12:00:00Z')`,
  )
  await server.rows('create table wrong (day text); create table landed (feed text, day text)')
})
afterAll(() => server.close())

const job = (name: string, every: string, { waits = '', read = '', into = '', atOnce = 4 } = {}) => `mattock: job/1
name: ${name}
title: The ${name}
slices: {every: ${every}, zone: UTC, from: 2026-11-01}
parts:
  - id: bring
    each: {roster: {rows: [{feed: a}, {feed: b}], key: [feed]}, at_once: ${atOnce}${waits === '' ? '' : `, waits: [{job: {name: ${waits}}}]`}}
    do:
${
  read === '' && into === ''
    ? `      - {id: work, sql: {on: warehouse, text: "select 1/(1 - count(*)), {row.feed}::text from wrong where day = {slice.label}"}}`
    : `      - {id: work, transfer: {from: {connection: warehouse, ${read || `query: "select {row.feed}::text as feed, {slice.label}::text as day"`}}, into: {connection: warehouse, table: ${into}, write: append}}}`
}
` // prettier-ignore
const reader = `mattock: job/1
name: reader
title: The reader
parts:
  - each: {roster: {rows: [{one: 1}]}}
    do:
      - {id: copy, transfer: {from: {connection: warehouse, table: public.landed}, into: {connection: warehouse, table: public.copied, write: replace-all}}}
`
const save = async (text: string) => {
  const name = /name: (.*)/.exec(text)![1]!
  await server.engineer.call(routes.saveJob, { params: { name }, body: { text, base: 0 } })
}
const plan = async (name: string, more: { span?: string; picks?: { part: string; row: string; from: string; to: string }[] }) =>
  (await server.engineer.call(routes.makePlan, { body: { job: name, environment: 'dev', ...more } })).id // prettier-ignore
const run = async (name: string, span: string) => {
  const { run: id } = await server.engineer.call(routes.startRun, {
    body: { plan: await plan(name, { span }) },
  })
  await server.ended(id)
  return id
}
const day = (n: number) => `2026-11-${String(n).padStart(2, '0')}T00:00:00Z`
const labels = async (id: number) =>
  (await server.own('select key from mattock.load where run_id = $1 order by started_at, id', [id])).map(({ key }) => key) // prettier-ignore

describe('a backfill', () => {
  it('goes oldest or newest first, with a cap of its own, behind live work', async () => {
    await save(job('days', 'P1D'))
    const start = async (order: 'oldest' | 'newest') => {
      const picks = [{ part: 'bring', row: 'a', from: day(1), to: day(5) }]
      return (await server.engineer.call(routes.startRun, { body: { plan: await plan('days', { picks }), order, atOnce: 1, behind: true } })).run // prettier-ignore
    }
    const [newest, oldest] = [await start('newest'), await start('oldest')]
    // live work that comes later goes first: nothing of either has begun, since there is no worker yet
    const { run: live } = await server.engineer.call(routes.startRun, { body: { plan: await plan('days', { span: '2026-11-09' }) } }) // prettier-ignore
    await server.worker(1)
    for (const one of [live, newest, oldest]) expect(await server.ended(one)).toBe('done')
    expect(await labels(newest)).toEqual([4, 3, 2, 1].map((n) => `a · 2026-11-0${n}`))
    expect(await labels(oldest)).toEqual([1, 2, 3, 4].map((n) => `a · 2026-11-0${n}`))
    const [order] = await server.own('select (select max(ended_at) from mattock.load where run_id = $1) < (select min(started_at) from mattock.load where run_id = $2) as first', [live, newest]) // prettier-ignore
    expect(order!.first).toBe(true)
  })
  it('knows what was built on it: who waits for it, who read what it wrote, and what was built on those', async () => {
    await save(job('writer', 'P1D', { into: 'public.landed' }))
    await save(job('waiter', 'P1D', { waits: 'writer' }))
    await save(job('monthly', 'P10D', { waits: 'waiter' }))
    await save(job('other', 'P1D', {}))
    await server.rows('create table copied (feed text, day text)')
    await server.load(reader)
    for (const name of ['writer', 'waiter']) await run(name, '2026-11-01/2026-11-11')
    await run('monthly', '2026-11-01')
    await server.load(reader)
    const { jobs } = await server.reader.call(routes.builtOn, { body: { environment: 'dev', job: 'writer', stretches: [{ from: day(3), to: day(5) }] } }) // prettier-ignore
    expect(
      jobs.map(({ job: name, how, of, loads, picks }) => [name, how, of, loads, picks?.length ?? null]),
    ).toEqual([
      ['reader', 'read', 'writer', 0, null],
      ['waiter', 'waits', 'writer', 4, 4],
      ['monthly', 'waits', 'waiter', 2, 2],
    ])
    // nothing was built on what nobody took
    expect((await server.reader.call(routes.builtOn, { body: { environment: 'dev', job: 'monthly', stretches: [{ from: day(3), to: day(5) }] } })).jobs).toEqual([]) // prettier-ignore
  })
  it('what was built on it is built when it is done, one after the other; pressed twice it is the same chain', async () => {
    const picks = [{ part: 'bring', row: 'a', from: day(3), to: day(4) }]
    const [first, second, third] = [await plan('days', { picks }), await plan('waiter', { picks }), await plan('other', { picks })] // prettier-ignore
    await server.rows(`insert into wrong values ('2026-11-03')`)
    const body = { plan: first, then: [second, third], press: 'pressed once' }
    const begun = await server.engineer.call(routes.startRun, { body })
    expect(await server.engineer.call(routes.startRun, { body })).toEqual(begun)
    const [after, last] = begun.then!
    expect(await server.ended(begun.run)).toBe('failed')
    await new Promise((resolve) => setTimeout(resolve, 400))
    const states = async () => (await server.own('select id, state, waits_for from (select r.id, l.state, l.waits_for from mattock.run r join mattock.load l on l.run_id = r.id where r.id = any ($1)) s order by id', [[after, last]])).map(({ state, waits_for }) => [state, waits_for]) // prettier-ignore
    expect(await states()).toEqual([['waiting', `run ${begun.run}; the slices of writer that meet its own`], ['waiting', `run ${after}`]]) // prettier-ignore
    const { loads } = await server.reader.call(routes.runLoads, { params: { id: last! }, query: {} })
    expect(await server.reader.call(routes.loadWaits, { params: { id: last!, load: loads[0]!.id } })).toMatchObject({ needs: [{ kind: 'run', run: after, met: null }] }) // prettier-ignore
    // what failed is done again, and the chain goes on
    await server.rows('delete from wrong')
    const { run: again } = await server.operator.call(routes.rerun, { params: { id: begun.run }, body: {} })
    expect(await server.ended(again)).toBe('done')
    expect(await server.ended(last!)).toBe('done')
    const [order] = await server.own('select (select ended_at from mattock.run where id = $1) <= (select min(started_at) from mattock.load where run_id = $2) as kept', [after, last]) // prettier-ignore
    expect(order!.kept).toBe(true)
  })
  it('plans of another environment, or that are not there, do not come after it', async () => {
    const picks = [{ part: 'bring', row: 'a', from: day(3), to: day(4) }]
    const first = await plan('days', { picks })
    expect(await server.engineer.fault(routes.startRun, { body: { plan: first, then: [99_999] } })).toMatchObject({ code: 'unknown-name' }) // prettier-ignore
    await server.own(`update mattock.plan set environment = 'live' where id = $1`, [
      await plan('other', { picks }),
    ])
    const [other] = await server.own(`select max(id) as id from mattock.plan`)
    expect(await server.engineer.fault(routes.startRun, { body: { plan: first, then: [Number(other!.id)] } })).toMatchObject({ code: 'request' }) // prettier-ignore
    expect(await server.own('select 1 from mattock.run where plan_id = $1', [first])).toEqual([])
  })
})
