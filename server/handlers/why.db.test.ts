import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { startScheduler } from '../../engine/scheduling/scheduler'
import { syncStarts } from '../../engine/scheduling/states'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker(2)
  await server.own('delete from mattock.pause')
  await server.own(
    `insert into mattock.shown_clock (real, shown) values (clock_timestamp(), '2026-11-11T12:00:00Z')`,
  )
  await server.rows('create table wrong (day text)')
})
afterAll(() => server.close())

const job = (name: string, more = '', { waits = '', rows = '[{feed: a}, {feed: b}]' } = {}) => `mattock: job/1
name: ${name}
title: The ${name}
slices: {every: P1D, zone: UTC, from: 2026-11-01}
${more}parts:
  - id: bring
    each: {roster: {rows: ${rows}, key: [feed]}, at_once: 4${waits === '' ? '' : `, waits: [${waits}]`}}
    do:
      - {id: work, sql: {on: warehouse, text: "select 1/(1 - count(*)), {row.feed}::text from wrong where day = {slice.label}"}}
` // prettier-ignore
const save = async (name: string, text: string) => {
  const { newest } = await server.engineer.call(routes.job, { params: { name } }).catch(() => ({ newest: 0 }))
  await server.engineer.call(routes.saveJob, { params: { name }, body: { text, base: newest } })
  await syncStarts(server.engine)
}
const plan = async (name: string, more: { span?: string; only?: string; picks?: never[] }) =>
  (await server.engineer.call(routes.makePlan, { body: { job: name, environment: 'dev', ...more } })).id
const start = async (id: number) => (await server.engineer.call(routes.startRun, { body: { plan: id } })).run
const next = (day: string) => `${day.slice(0, 8)}${String(Number(day.slice(8)) + 1).padStart(2, '0')}`
const why = async (name: string, day: string, row = 'a') =>
  (await server.reader.call(routes.whySlice, { query: { environment: 'dev', job: name, part: 'bring', row, from: `${day}T00:00:00Z`, to: `${next(day)}T00:00:00Z`, label: day } })).reasons // prettier-ignore

describe('why a slice did not run', () => {
  it('nobody ran it, and nothing begins it', async () => {
    await save('days', job('days'))
    expect(await why('days', '2026-11-02')).toMatchObject([{ code: 'nobody', text: 'nothing begins The days by itself, and nobody has run it for 2026-11-02', job: 'days', run: null, because: [] }]) // prettier-ignore
  })
  it('it is not over; its start comes later; it is paused', async () => {
    expect(await why('days', '2026-11-11')).toMatchObject([{ code: 'open', text: '2026-11-11 is not over yet', when: { is: 'at', at: '2026-11-12T00:00:00Z' } }]) // prettier-ignore
    await save('timed', job('timed', 'starts: [{id: noon, clock: {cron: "0 18 * * *"}}]\n'))
    expect(await why('timed', '2026-11-10')).toMatchObject([{ code: 'not-yet', when: { is: 'at', at: '2026-11-11T18:00:00.000Z' } }]) // prettier-ignore
    await server.operator.call(routes.pauseStarts, { body: { environment: 'dev', job: 'timed', why: 'the pumps are out' } }) // prettier-ignore
    expect(await why('timed', '2026-11-10')).toMatchObject([{ code: 'paused', text: 'The timed is paused, by the operator: the pumps are out' }]) // prettier-ignore
  })
  it('its load failed, and with what; that it was done is said, too', async () => {
    await server.rows(`insert into wrong values ('2026-11-03')`)
    const run = await start(await plan('days', { span: '2026-11-03' }))
    await server.ended(run)
    const [failed] = await why('days', '2026-11-03')
    expect(failed).toMatchObject({ code: 'failed', run })
    expect(failed!.text).toContain('division by zero')
    expect(failed!.load).not.toBeNull()
    await server.rows('delete from wrong')
    const again = await start(await plan('days', { span: '2026-11-03' }))
    await server.ended(again)
    expect(await why('days', '2026-11-03')).toMatchObject([{ code: 'loaded', run: again }])
    await server.rows(`insert into wrong values ('2026-11-03')`)
    await server.ended(await start(await plan('days', { span: '2026-11-03' })))
    expect((await why('days', '2026-11-03'))[0]!.text).toContain('what was loaded before is there')
    await server.rows('delete from wrong')
  })
  it('a run took the slice without the row: by its filter, or since nobody had it then', async () => {
    const run = await start(await plan('days', { span: '2026-11-04', only: "row.feed == 'b'" }))
    await server.ended(run)
    expect(await why('days', '2026-11-04')).toMatchObject([{ code: 'left-out', run, text: `run ${run} took the slice only where row.feed == 'b'` }, { code: 'nobody' }]) // prettier-ignore
    const whole = await start(await plan('days', { span: '2026-11-05' }))
    await server.ended(whole)
    await save('days', job('days', '', { rows: '[{feed: a}, {feed: "c\'s"}]' }))
    expect(await why('days', '2026-11-05', "c's")).toMatchObject([{ code: 'not-there', run: whole }, { code: 'nobody' }]) // prettier-ignore
    expect(await why('days', '2026-11-06', 'b')).toMatchObject([{ code: 'not-there', text: 'the job does not loop over this row now' }, { code: 'nobody' }]) // prettier-ignore
    await save('days', job('days'))
  })
  it('it waits for another job, which waits for a third, of which a load failed: the whole chain', async () => {
    await save('second', job('second', '', { waits: '{job: {name: days}}' }))
    await save('third', job('third', '', { waits: '{job: {name: second}}' }))
    const third = await start(await plan('third', { span: '2026-11-07' }))
    const [first] = await why('third', '2026-11-07')
    expect(first).toMatchObject({ code: 'waits', run: third, text: `its load in run ${third} waits for 2026-11-07 of second` }) // prettier-ignore
    expect(first!.because).toMatchObject([{ code: 'waits', job: 'second', because: [{ code: 'nobody' }] }])
    const second = await start(await plan('second', { span: '2026-11-07' }))
    await server.rows(`insert into wrong values ('2026-11-07')`)
    const days = await start(await plan('days', { span: '2026-11-07' }))
    await server.ended(days)
    const chain = (await why('third', '2026-11-07'))[0]!.because[0]!.because
    expect(chain).toMatchObject([{ code: 'waits', run: second, because: [{ code: 'waits', job: 'days', because: [{ code: 'failed', run: days, text: expect.stringContaining('2 loads failed') as string }] }] }]) // prettier-ignore
    // what is shown of the load says the same
    const { loads } = await server.reader.call(routes.runLoads, { params: { id: third }, query: {} })
    expect(loads[0]).toMatchObject({ state: 'waiting', waitsFor: 'the slices of second that meet its own' })
    const waits = await server.reader.call(routes.loadWaits, { params: { id: third, load: loads[0]!.id } })
    expect(waits).toMatchObject({ releasedAt: null, needs: [{ kind: 'slice', job: 'second', title: 'The second', label: '2026-11-07', met: null, run: second, loads: { loaded: 0, failed: 0, underWay: 2 } }] }) // prettier-ignore
    await server.rows('delete from wrong')
    await server.ended(await start(await plan('days', { span: '2026-11-07' })))
    expect(await server.ended(third)).toBe('done')
    expect(await why('third', '2026-11-07')).toMatchObject([{ code: 'loaded', run: third }])
    expect(await server.reader.fault(routes.loadWaits, { params: { id: days, load: 1 } })).toMatchObject({ code: 'unknown-name' }) // prettier-ignore
  })
  it('a start could not begin: what was decided, and the plan that shows why', async () => {
    await save('bad', job('bad', 'starts: [{id: noon, clock: {cron: "1 12 * * *"}}]\n', { rows: '[{other: a}]' }).replace('key: [feed]', 'key: [other]')) // prettier-ignore
    const end = startScheduler(server.engine)
    await server.own(
      `update mattock.shown_clock set real = clock_timestamp(), shown = '2026-11-11T12:00:58Z'`,
    )
    for (let n = 0; n < 1200; n++) {
      const [row] = await server.own(`select state from mattock.occasion where job = 'bad'`)
      if (row && row.state !== 'due') break
      await new Promise((resolve) => setTimeout(resolve, 50))
    }
    await end()
    const [decided] = await why('bad', '2026-11-10')
    expect(decided).toMatchObject({ code: 'decided', text: expect.stringContaining('start noon could not begin') as string }) // prettier-ignore
    expect(decided!.plan).not.toBeNull()
  })
  it('a job that is not there is told', async () => {
    expect(await server.reader.fault(routes.whySlice, { query: { environment: 'dev', job: 'dyas', from: '2026-11-01T00:00:00Z', to: '2026-11-02T00:00:00Z', label: 'x' } })).toMatchObject({ code: 'unknown-name' }) // prettier-ignore
  })
})
