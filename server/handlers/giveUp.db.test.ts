import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker(4)
  await server.rows('create table wrong (day text, feed text)')
})
afterAll(() => server.close())

const job = (name: string, waits = '') => `mattock: job/1
name: ${name}
title: The ${name}
slices: {every: P1D, zone: UTC, from: 2026-11-01}
parts:
  - id: bring
    each: {roster: {rows: [{feed: a}, {feed: "b's"}], key: [feed]}, at_once: 4${waits}}
    do:
      - {id: work, sql: {on: warehouse, text: "select 1/(1 - count(*)) from wrong where day = {slice.label} and feed = {row.feed}"}}
`
const start = async (name: string, span: string) => {
  const { id } = await server.engineer.call(routes.makePlan, {
    body: { job: name, environment: 'dev', span },
  })
  return (await server.engineer.call(routes.startRun, { body: { plan: id } })).run
}
const loads = async (run: number) => (await server.reader.call(routes.runLoads, { params: { id: run }, query: {} })).loads.map(({ key, state }) => [key, state]) // prettier-ignore
const matters = async () => (await server.reader.call(routes.morning, { query: { environment: 'dev' } })).decisions.filter(({ kind }) => kind === 'failed').map(({ run }) => run) // prettier-ignore
const giveUp = (run: number, why = 'the mast fell') => ({ params: { id: run }, body: { why } })

describe('what failed in a run that is over', () => {
  it('is set aside with the reason: nobody need see to it, what waits for it goes on, and a rerun brings it back', async () => {
    await server.engineer.call(routes.saveJob, { params: { name: 'days' }, body: { text: job('days'), base: 0 } })
    await server.engineer.call(routes.saveJob, { params: { name: 'then' }, body: { text: job('then', ', waits: [{job: {name: days}}]'), base: 0 } })
    await server.rows(`insert into wrong values ('2026-11-03', 'b''s')`)
    const failed = await start('days', '2026-11-03')
    expect(await server.ended(failed)).toBe('failed')
    const then = await start('then', '2026-11-03')
    expect(await matters()).toEqual([failed])
    expect((await server.reader.fault(routes.giveUpFailed, giveUp(failed))).code).toBe('forbidden')
    expect((await server.operator.fault(routes.giveUpFailed, giveUp(failed, ' '))).code).toBe('request')
    // two at once do it once
    const both = await Promise.all([1, 2].map(() => server.operator.call(routes.giveUpFailed, giveUp(failed))))
    expect(both.map(({ loads: many }) => many).sort()).toEqual([0, 1])
    expect(await matters()).not.toContain(failed)
    expect(await loads(failed)).toEqual([['a · 2026-11-03', 'done'], ["b's · 2026-11-03", 'skipped']])
    const [kept] = await server.own(`select error ->> 'message' as message, error ->> 'code' as code from mattock.load where run_id = $1 and state = 'skipped'`, [failed])
    expect(kept).toEqual({ code: 'set-aside', message: 'set aside by the operator, the mast fell, having failed: division by zero' })
    expect(await server.own('select failed, skipped, done from mattock.run_part where run_id = $1', [failed])).toEqual([{ failed: 0, skipped: 1, done: 1 }])
    // its own slice of the other row is wrong there, too
    expect(await server.ended(then)).toBe('failed')
    await server.rows('delete from wrong')
    const { run } = await server.operator.call(routes.rerun, { params: { id: failed }, body: { from: { failed: true } } })
    expect(await server.ended(run)).toBe('done')
    expect(await loads(run)).toEqual([["b's · 2026-11-03", 'done']])
  }) // prettier-ignore
  it('is left as it is where it was run again since, and where the run goes on', async () => {
    await server.rows(`insert into wrong values ('2026-11-04', 'a')`)
    const failed = await start('days', '2026-11-04')
    await server.ended(failed)
    await server.rows('delete from wrong')
    await server.ended(await start('days', '2026-11-04'))
    expect(await server.operator.call(routes.giveUpFailed, giveUp(failed))).toEqual({ loads: 0 })
    // the slice is loaded, by the later run
    const [cell] = await server.own(`select state, run_id > $1 as later from mattock.coverage where job = 'days' and row_key = 'a' and slice_label = '2026-11-04'`, [failed])
    expect(cell).toEqual({ state: 'done', later: true })
    const waits = await start('then', '2026-11-09')
    expect(await server.operator.call(routes.giveUpFailed, giveUp(waits))).toEqual({ loads: 0 })
    await server.operator.call(routes.stopRun, { params: { id: waits }, body: {} })
  }) // prettier-ignore
})
