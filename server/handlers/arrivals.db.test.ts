import { mkdirSync, rmSync, symlinkSync, utimesSync } from 'node:fs'
import { join } from 'node:path'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker(4)
  await server.rows('create table reading (feed text, value int)')
  await server.own(
    `insert into mattock.shown_clock (real, shown) values (clock_timestamp(), '2026-11-11T07:00:00Z')`,
  )
})
afterAll(() => server.close())

const job = (more = '') => `mattock: job/1
name: readings
title: Readings
slices: {every: P1D, zone: UTC, from: 2026-11-01}
parts:
  - id: bring
    each:
      roster: {rows: [{feed: flow_a, due: "06:00"}, {feed: flow_b, due: "06:00"}, {feed: "o'hare", due: "23:00"}], key: [feed]}
      at_once: 4
${more}    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "in/{row.feed}_{format(slice.from, 'yyyyMMdd')}*.csv"}
          into: {connection: warehouse, table: public.reading, write: append}
`
const lay = (name: string, came: string, text = 'feed,value\nx,1\n') => {
  mkdirSync(join(server.drop, 'in'), { recursive: true })
  server.writeFile(`in/${name}`, text)
  utimesSync(join(server.drop, 'in', name), new Date(came), new Date(came))
}
const span = { environment: 'dev', from: '2026-11-01T00:00:00Z', until: '2026-11-12T00:00:00Z' }
const arrivals = async (more: object = {}) =>
  await server.reader.call(routes.arrivals, { query: { ...span, job: 'readings', ...more } })
const letters = async () => Object.fromEntries((await arrivals()).jobs[0]!.feeds.map(({ row, letters: said }) => [row, said])) // prettier-ignore

describe('files that rows and slices expect', () => {
  it('are here, loaded, late, missing, empty, or came again, each by its own', async () => {
    const text = job('      arrives: {by: due, missing_after: PT12H}\n')
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text, base: 0 } })
    for (let day = 1; day <= 9; day++) lay(`flow_a_2026110${day}.csv`, `2026-11-${String(day + 1).padStart(2, '0')}T05:1${day}:00Z`) // prettier-ignore
    lay('flow_b_20261108.csv', '2026-11-09T05:00:00Z', '')
    const { id } = await server.engineer.call(routes.makePlan, { body: { job: 'readings', environment: 'dev', span: '2026-11-01/2026-11-09', only: "row.feed == 'flow_a'" } }) // prettier-ignore
    await server.ended((await server.engineer.call(routes.startRun, { body: { plan: id } })).run)
    // one that was loaded came once more, with other rows
    lay('flow_a_20261103.csv', '2026-11-05T09:00:00Z', 'feed,value\nx,1\nx,2\n')
    expect(await letters()).toEqual({ flow_a: 'LLALLLLLHT', flow_b: 'MMMMMMMZMT', "o'hare": 'MMMMMMMMTE' })
    const { newest } = await arrivals()
    expect(newest.map(({ row, state, due, by, name }) => [row, state, due, by, name])).toEqual([
      ['flow_a', 'late', '2026-11-11T06:00:00.000Z', 'control', 'in/flow_a_20261110*.csv'],
      ['flow_b', 'late', '2026-11-11T06:00:00.000Z', 'control', 'in/flow_b_20261110*.csv'],
      ["o'hare", 'expected', '2026-11-11T23:00:00.000Z', 'control', "in/o'hare_20261110*.csv"],
    ])
    // nine came between 5:11 and 5:19, but for the one that came again
    const [feed] = (await arrivals()).jobs[0]!.feeds
    expect(feed).toMatchObject({ overdue: 1, habit: { known: 9 } })
    expect(Math.round(feed!.habit!.median / 60)).toBe(5 * 60 + 16)
  })
  it('take an answer where they did not come, and give it back', async () => {
    const place = {
      environment: 'dev',
      job: 'readings',
      part: 'bring',
      row: "o'hare",
      from: '2026-11-09T00:00:00Z',
    }
    const answer = (kind: 'without' | 'later' | 'never', more: object = {}) =>
      server.operator.call(routes.answerArrival, { body: { ...place, kind, why: 'it is known', ...more } })
    await answer('without')
    expect((await letters())["o'hare"]).toBe('MMMMMMMMWE')
    await answer('never')
    expect((await letters())["o'hare"]).toBe('MMMMMMMMNN')
    // it is among the reasons why the slice did not run, and one after it, and not one before it
    const why = async (day: number) => (await server.reader.call(routes.whySlice, { query: { environment: 'dev', job: 'readings', part: 'bring', row: "o'hare", from: `2026-11-0${day}T00:00:00Z`, to: `2026-11-${String(day + 1).padStart(2, '0')}T00:00:00Z`, label: 'x' } })).reasons.map(({ text }) => text).join() // prettier-ignore
    expect(await why(9)).toContain('the operator said that its file is not expected any more: it is known')
    expect(await why(8)).not.toContain('said')
    const { newest } = await arrivals()
    expect(newest.find(({ row }) => row === "o'hare")).toMatchObject({ state: 'unasked', answer: { kind: 'never', by: 'the operator', why: 'it is known' } }) // prettier-ignore
    await answer('later', { until: '2026-11-12T00:00:00Z' })
    expect((await letters())["o'hare"]).toBe('MMMMMMMMEE')
    for (const until of [undefined, '2026-11-11T06:59:00Z'])
      expect((await server.operator.fault(routes.answerArrival, { body: { ...place, kind: 'later', why: 'it is known', ...(until ? { until } : {}) } })).where.path).toBe('until') // prettier-ignore
    expect((await server.reader.fault(routes.answerArrival, { body: { ...place, kind: 'never', why: 'no right' } })).code).toBe('forbidden') // prettier-ignore
    await server.operator.call(routes.dropArrivalAnswer, { body: place })
    expect((await letters())["o'hare"]).toBe('MMMMMMMMTE')
    expect((await server.operator.fault(routes.dropArrivalAnswer, { body: place })).code).toBe('unknown-name')
  })
  it('are another file where somebody says so: it is loaded by the next plan, and by no other slice', async () => {
    const place = { environment: 'dev', job: 'readings', part: 'bring', row: 'flow_b', from: '2026-11-07T00:00:00Z' }
    const answer = (more: object) => ({ body: { ...place, kind: 'instead' as const, why: 'sent by mail', ...more } })
    lay('Flow B (7 Nov) [new].csv', '2026-11-11T05:00:00Z', 'feed,value\nb,7\nb,8\n')
    const file = 'in/Flow B (7 Nov) [new].csv'
    expect((await arrivals()).strays.map(({ path }) => path)).toContain(file)
    for (const [more, path] of [[{}, 'file'], [{ file: 'in/nothing.csv' }, 'file'], [{ file: '../outside.csv' }, undefined], [{ file, replaces: 'in/else.csv' }, 'replaces'], [{ file, from: '2026-11-07T01:00:00Z' }, 'from']] as const)
      expect((await server.operator.fault(routes.answerArrival, answer(more))).where.path).toBe(path)
    expect((await server.operator.fault(routes.answerArrival, answer({ file, row: 'nobody' }))).code).toBe('unknown-name')
    expect((await server.reader.fault(routes.answerArrival, answer({ file }))).code).toBe('forbidden')
    // one that was loaded for a row of its own is here, and not loaded, where it is taken for another
    await server.operator.call(routes.answerArrival, answer({ file: 'in/flow_a_20261104.csv' }))
    expect((await letters()).flow_b).toBe('MMMMMMHZMT')
    await server.operator.call(routes.answerArrival, answer({ file }))
    expect((await letters()).flow_b).toBe('MMMMMMHZMT')
    expect((await arrivals()).strays.map(({ path }) => path)).not.toContain(file)
    const planned = await server.engineer.call(routes.makePlan, { body: { job: 'readings', environment: 'dev', span: '2026-11-06/2026-11-08', only: "row.feed == 'flow_b'" } })
    const { findings } = await server.reader.call(routes.plan, { params: { id: planned.id } })
    expect(findings.filter(({ code }) => code === 'other-file').map(({ message }) => message)).toEqual([`flow_b · 2026-11-07: ${file} is taken in place of in/flow_b_20261107*.csv, as the operator said: sent by mail`])
    await server.ended((await server.engineer.call(routes.startRun, { body: { plan: planned.id } })).run)
    expect((await server.rows("select value from reading where feed = 'b' order by 1")).map(({ value }) => value)).toEqual([7, 8])
    expect((await letters()).flow_b).toBe('MMMMMMLZMT')
    // another is taken for it afterwards, or the same with other content: it is to be loaded again
    await server.operator.call(routes.answerArrival, answer({ file: 'in/flow_a_20261104.csv' }))
    expect((await letters()).flow_b).toBe('MMMMMMAZMT')
    await server.operator.call(routes.answerArrival, answer({ file }))
    lay('Flow B (7 Nov) [new].csv', '2026-11-11T06:00:00Z', 'feed,value\nb,9\n')
    expect((await letters()).flow_b).toBe('MMMMMMAZMT')
    await server.operator.call(routes.dropArrivalAnswer, { body: place })
    expect((await arrivals()).strays.map(({ path }) => path)).toContain(file)
    rmSync(join(server.drop, file))
  }) // prettier-ignore
  it('are due by habit where the job does not say when', async () => {
    const text = job()
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text, base: 1 } })
    const { newest } = await arrivals()
    expect(newest.map(({ row, state, by }) => [row, state, by])).toEqual([['flow_a', 'expected', 'habit'], ['flow_b', 'expected', null], ["o'hare", 'expected', null]]) // prettier-ignore
  })
  it('that went away after they were loaded are loaded', async () => {
    rmSync(join(server.drop, 'in/flow_a_20261101.csv'))
    expect((await letters()).flow_a!.slice(0, 2)).toBe('LL')
  })
  it('and those that no row expects are told, with the nearest row and one that would expect it', async () => {
    lay('flow_c_20261109.csv', '2026-11-10T05:00:00Z')
    lay('flow_c_20250101.csv', '2025-01-02T05:00:00Z')
    lay('photo.png', '2026-11-10T06:00:00Z')
    const { strays } = await arrivals()
    expect(
      strays.map(({ path, nearest, proposed }) => [path, nearest?.row ?? null, proposed?.feed ?? null]),
    ).toEqual([
      ['in/photo.png', null, null],
      ['in/flow_c_20261109.csv', 'flow_a', 'flow_c'],
    ])
  })
  it('are of no slice that is shown, and expected all the same: by one before, long before, or not over yet', async () => {
    const laid = [
      ['flow_b_20261105.csv', '2026-11-06T05:00:00Z'],
      ['flow_b_20261101x.csv', '2026-11-10T05:00:00Z'],
      ['flow_b_20261111.csv', '2026-11-11T06:00:00Z'],
    ] as const
    for (const [name, came] of laid) lay(name, came)
    const strays = async (from: string) =>
      (await arrivals({ from })).strays.map(({ path, count }) => [path, count])
    for (const from of ['2026-11-06T00:00:00Z', '2026-11-10T00:00:00Z'])
      expect(await strays(from)).toEqual([
        ['in/photo.png', 1],
        ['in/flow_c_20261109.csv', 1],
      ])
    // one that was loaded comes once more; before the first slice of all there is none that would expect it
    lay('flow_a_20261102.csv', '2026-11-11T05:00:00Z', 'feed,value\nx,9\n')
    lay('flow_b_20261031.csv', '2026-11-11T05:30:00Z')
    expect(await strays('2026-11-10T00:00:00Z')).toEqual([
      ['in/flow_b_20261031.csv', 1],
      ['in/photo.png', 1],
      ['in/flow_c_20261109.csv', 1],
    ])
    // hours that are over show what came in them
    expect(
      (await arrivals({ from: '2026-11-09T00:00:00Z', until: '2026-11-10T05:30:00Z' })).strays.map(
        ({ path }) => path,
      ),
    ).toEqual(['in/flow_c_20261109.csv'])
    for (const name of [...laid.map(([name]) => name), 'flow_b_20261031.csv'])
      rmSync(join(server.drop, 'in', name))
  })
  it('are of a slice that is not shown, whatever the way in which their path is written', async () => {
    const text = job().replace('files: "in/', 'files: "./in//')
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text, base: 2 } })
    lay('flow_b_20261105.csv', '2026-11-06T05:00:00Z')
    const { strays } = await arrivals({ from: '2026-11-06T00:00:00Z' })
    expect(strays.map(({ path }) => path)).toEqual(['in/photo.png', 'in/flow_c_20261109.csv'])
    rmSync(join(server.drop, 'in/flow_b_20261105.csv'))
  })
  it('are shown though a link leads out of the folder', async () => {
    symlinkSync('/etc', join(server.drop, 'in', 'link'))
    expect((await arrivals()).strays.map(({ path }) => path)).toEqual([
      'in/photo.png',
      'in/flow_c_20261109.csv',
    ])
    rmSync(join(server.drop, 'in', 'link'))
  })
  it('what cannot be asked is told; a store or a roster that cannot be read is said for its job alone', async () => {
    expect(await server.reader.fault(routes.arrivals, { query: { ...span, job: 'nobody' } })).toMatchObject({ code: 'unknown-name' }) // prettier-ignore
    expect(await server.reader.fault(routes.arrivals, { query: { ...span, until: span.from } })).toMatchObject({ code: 'request' }) // prettier-ignore
    const text = job().replace(/roster: .*/, 'roster: {control: nowhere}')
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text, base: 3 } })
    expect((await arrivals()).jobs[0]!.without).toContain('nowhere')
  })
})
