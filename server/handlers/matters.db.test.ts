import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { rerun } from '../../engine/running/runs'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker(4)
  await server.rows(
    'create table counted (feed text, day text, n int); create table many (day text, n int); create table wrong (day text)',
  )
})
afterAll(() => server.close())

const dev = { environment: 'dev' }
/** The day so many days ago, as slices are called. */
const day = (ago: number) => new Date(Date.now() - ago * 86_400_000).toISOString().slice(0, 10)
const counting = `mattock: job/1
name: counting
title: Counting
slices: {every: P1D, zone: UTC, from: ${day(40)}}
parts:
  - each: {roster: {rows: [{feed: a}, {feed: "b's"}], key: [feed]}, at_once: 4}
    do:
      - id: count
        transfer:
          from: {connection: warehouse, query: "select {row.feed}::text as feed, {slice.label}::text as day, n from many where day = {slice.label} and ({row.feed} = 'a' or n <= 100)"}
          into: {connection: warehouse, table: public.counted, write: append}
`
const following = (name: string, waits: string) => `mattock: job/1
name: ${name}
title: The ${name}
slices: {every: P1D, zone: UTC, from: ${day(40)}}
parts:
  - each: {roster: {rows: [{feed: a}, {feed: b}], key: [feed]}, at_once: 4${waits}}
    do:
      - {id: work, sql: {on: warehouse, text: "select 1/(1 - count(*)), {row.feed}::text from wrong where day = {slice.label}"}}
`
const fill = (ago: number, rows: number) => server.rows(`insert into many select $1, generate_series(1, $2::int)`, [day(ago), rows]) // prettier-ignore
const morning = async (kind: string) =>
  (await server.reader.call(routes.morning, { query: dev })).decisions.filter((one) => one.kind === kind)

describe('loads that are done, and far from usual', () => {
  it('are told, grouped by job and by how far; those as usual are not', async () => {
    for (let ago = 12; ago >= 2; ago--) await fill(ago, ago % 2 ? 100 : 101)
    await server.load(counting, { span: `${day(12)}/${day(1)}` })
    expect(await morning('silence')).toEqual([])
    // nothing came yesterday
    await server.load(counting, { span: day(1) })
    const [none] = await morning('silence')
    expect(none).toMatchObject({ count: 2, job: 'counting', title: 'Counting: 2 loads have no rows', key: `silence counting none ${day(1)}` }) // prettier-ignore
    expect(none!.text).toContain(`a · ${day(1)}: 0, usually 101`)
    // it came after all, three times as many
    await fill(1, 300)
    await server.load(counting, { span: day(1) })
    const found = await morning('silence')
    expect(found).toMatchObject([{ count: 1, title: `Counting: a · ${day(1)} has far more rows than usual` }])
  })
})

describe('loads that wait in vain', () => {
  it('are told with what failed; while somebody is at it they are not, and neither when it is done', async () => {
    await server.rows('insert into wrong values ($1)', [day(3)])
    const first = await server.load(following('first', ''), { span: day(3) })
    const body = { text: following('then', ', waits: [{job: {name: first}}]'), base: 0 }
    await server.engineer.call(routes.saveJob, { params: { name: 'then' }, body })
    const { id } = await server.engineer.call(routes.makePlan, {
      body: { job: 'then', ...dev, span: day(3) },
    })
    const { run } = await server.engineer.call(routes.startRun, { body: { plan: id } })
    const [stuck] = await morning('stuck')
    expect(stuck).toMatchObject({ count: 2, run, job: 'then', title: `The then: 2 loads wait for ${day(3)} of The first` }) // prettier-ignore
    expect(stuck!.text).toContain(`2 loads of it failed in run ${first}`)
    await server.rows('delete from wrong')
    await server.ended(await rerun(server.engine, first, { by: 'test' }))
    expect(await server.ended(run)).toBe('done')
    expect(await morning('stuck')).toEqual([])
  })
})

describe('what people do about a matter', () => {
  const key = 'silence counting more x'
  const keep = (more: object) =>
    server.operator.call(routes.keepMatter, { body: { ...dev, key, title: 'Counting', ...more } })
  it('is kept with its thread, and is there for the others', async () => {
    const [found] = await morning('silence')
    expect(found).toMatchObject({ quietUntil: null, givenTo: null, notes: [] })
    const own = { key: found!.key, title: found!.title }
    await keep({ ...own, note: "  the pump's counter was changed " })
    await keep({
      ...own,
      givenTo: 'the engineer',
      quietUntil: new Date(Date.now() + 3_600_000).toISOString(),
    })
    await keep({ ...own, givenTo: 'the operator' })
    const [kept] = await morning('silence')
    expect(kept).toMatchObject({ givenTo: 'the operator', quietUntil: expect.any(String) as string })
    expect(kept!.notes.map(({ by, text }) => `${by}: ${text.replace(/\d{4}.*/, '…')}`)).toEqual([
      "the operator: the pump's counter was changed",
      'the operator: gave it to the engineer',
      'the operator: quiet until …',
      'the operator: sees to it',
    ])
    await keep({ ...own, givenTo: null, quietUntil: null })
    expect(await morning('silence')).toMatchObject([{ givenTo: null, quietUntil: null }])
  })
  it('is refused where nothing is done, where the time is past, and from who may only look', async () => {
    const fault = (more: object, who = server.operator) =>
      who.fault(routes.keepMatter, { body: { ...dev, key, title: 'x', ...more } })
    expect(await fault({})).toMatchObject({ code: 'request', status: 400 })
    expect(await fault({ note: '   ' })).toMatchObject({ code: 'request' })
    expect(await fault({ quietUntil: '2020-01-01T00:00:00Z' })).toMatchObject({ code: 'request' })
    expect(await fault({ note: 'x' }, server.reader)).toMatchObject({ status: 403 })
    expect(await server.own('select 1 from mattock.matter where key = $1', [key])).toEqual([])
  })
  it('names whom it may be given to: those who may do something', async () => {
    const { people } = await server.reader.call(routes.morning, { query: dev })
    expect(people).toContain('the operator')
    expect(people).not.toContain('the reader')
  })

  it('of several slices of one job are one matter, each load counted once, and all are let go together', async () => {
    for (const ago of [8, 7, 6]) await server.rows('insert into wrong values ($1)', [day(ago)])
    const failing = await server.load(following('early', ''), { span: `${day(8)}/${day(5)}` })
    const later = async (name: string, waits: string, span: string) => {
      await server.engineer.call(routes.saveJob, { params: { name }, body: { text: following(name, waits), base: 0 } }).catch(() => {}) // prettier-ignore
      const { id } = await server.engineer.call(routes.makePlan, { body: { job: name, ...dev, span } })
      return (await server.engineer.call(routes.startRun, { body: { plan: id } })).run
    }
    // one run for each of two slices, and a run whose loads each wait for three
    const waits = ', waits: [{job: {name: early}}]'
    const runs = [await later('days', waits, day(8)), await later('days', waits, day(7))]
    const [stuck, ...others] = await morning('stuck')
    expect(others).toEqual([])
    expect(stuck).toMatchObject({
      key: 'stuck days slice early failed',
      count: 4,
      run: runs[1],
      runs: [runs[1], runs[0]],
      title: `The days: 4 loads wait for 2 slices of The early, ${day(8)} to ${day(7)}`,
      text: `4 loads of them failed in run ${failing}: rerun that, or set it aside; or let these go without them`,
    })
    const week = following('week', ', waits: [{job: {name: early}}]').replace('every: P1D', 'every: P7D').replace(`from: ${day(40)}`, `from: ${day(12)}`) // prettier-ignore
    await server.engineer.call(routes.saveJob, { params: { name: 'week' }, body: { text: week, base: 0 } })
    const { id } = await server.engineer.call(routes.makePlan, {
      body: { job: 'week', ...dev, span: day(12) },
    })
    const { run } = await server.engineer.call(routes.startRun, { body: { plan: id } })
    const whole = (await morning('stuck')).find(({ job }) => job === 'week')
    // days 12 to 6: those that failed among them, and the others, at which nobody is; of each load once
    expect(whole).toMatchObject({ count: 2, runs: [run] })
    expect(whole!.title).toBe(`The week: 2 loads wait for 3 slices of The early, ${day(8)} to ${day(6)}`)
    let gone = 0
    for (const one of [...runs, run])
      gone += (await server.engineer.call(routes.letGo, { params: { id: one }, body: { why: 'a test' } }))
        .loads
    expect(gone).toBe(6)
    expect(await morning('stuck')).toEqual([])
    await server.rows('delete from wrong')
  })
})
