import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { rerun } from '../../engine/running/runs'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker(4)
  await server.rows('create table reading (feed text, day date, value int check (value < 100))')
  await server.own(
    `insert into mattock.shown_clock (real, shown) values (clock_timestamp(), '2026-11-11T12:00:00Z')`,
  )
})
afterAll(() => server.close())

const job = (
  more = '',
  rows = '[{feed: a, kind: flow}, {feed: b, kind: flow}, {feed: c, kind: level}]',
  every = 'P1D',
) => `mattock: job/1
name: readings
title: Readings
slices: {every: ${every}, zone: Europe/Oslo, from: 2026-11-01${more}}
parts:
  - once:
      - {id: make, sql: {on: warehouse, text: "select 1"}}
  - id: bring
    each: {roster: {rows: ${rows}, key: [feed]}, at_once: 4}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.feed}_{format(slice.from, 'yyyyMMdd')}.csv"}
          into: {connection: warehouse, table: public.reading, write: append}
          rejects: {up_to: 1}
`
const lay = (feed: string, day: string, values: readonly (number | string)[]) =>
  server.writeFile(`${feed}_${day.replaceAll('-', '')}.csv`, `feed,day,value\n${values.map((value) => `${feed},${day},${value}`).join('\n')}\n`) // prettier-ignore
const span = { environment: 'dev', from: '2026-10-31T23:00:00Z', until: '2026-11-12T23:00:00Z' }
const coverage = async (query: Partial<typeof span> = {}) => {
  const { jobs } = await server.reader.call(routes.coverage, {
    query: { ...span, job: 'readings', ...query },
  })
  return jobs[0]!
}
const letters = async (query = {}) =>
  Object.fromEntries((await coverage(query)).rows.map((row) => [row.row, row.letters]))
const plan = async (picks: readonly { row: string; from: string; to: string }[], part = 'bring') =>
  (await server.engineer.call(routes.makePlan, { body: { job: 'readings', environment: 'dev', picks: picks.map((one) => ({ part, ...one })) } })).id // prettier-ignore
const start = async (id: number) => {
  const { run } = await server.engineer.call(routes.startRun, { body: { plan: id } })
  return [run, await server.ended(run)] as const
}
const midnight = (day: string) => `2026-${day}T00:00:00+01:00`

describe('what was loaded, slice by slice', () => {
  it('is noted as loads end: rows, rejects, and what failed', async () => {
    for (const feed of ['a', 'b', 'c'])
      for (const day of ['2026-11-01', '2026-11-02', '2026-11-04']) if (feed !== 'b' || day !== '2026-11-02') lay(feed, day, [1, 2, 3])
    lay('c', '2026-11-04', [1, 'none', 3])
    await server.load(job(), { span: '2026-11-01/2026-11-03' })
    await server.load(job(), { span: '2026-11-04' })
    const found = await coverage()
    expect(found).toMatchObject({ title: 'Readings', zone: 'Europe/Oslo', every: 'P1D', trouble: null, without: null, columns: ['kind'], parts: [], restatedFrom: null }) // prettier-ignore
    expect(found.slices.map(({ label }) => label.slice(-2))).toEqual(['01', '02', '03', '04', '05', '06', '07', '08', '09', '10']) // prettier-ignore
    expect(found.rows.map(({ row, letters: said, values }) => [row, said, ...values])).toEqual([
      ['a', 'LLMLMMMMMM', 'flow'],
      ['b', 'LFMLMMMMMM', 'flow'],
      ['c', 'LLMLMMMMMM', 'level'],
    ])
    expect(found.rows[2]).toMatchObject({ part: 'bring', rows: [3, 3, 0, 2, 0, 0, 0, 0, 0, 0], rejected: [[3, 1]], gaps: 7 }) // prettier-ignore
  }) // prettier-ignore
  it('is shown of the dataset that it went into, row by row', async () => {
    const [{ id } = {}] = await server.own(
      `insert into mattock.dataset (environment, connection, locator, start, kind, name, columns, surveyed_at) values
         ('dev', 'warehouse', 'public.reading', 'public.reading', 'table', 'warehouse.public.reading', '[]', now()),
         ('dev', 'warehouse', 'public.other', 'public.other', 'table', 'warehouse.public.other', '[]', now()) returning id`,
    )
    const { from, until } = span
    const { jobs } = await server.reader.call(routes.datasetCoverage, { params: { id: Number(id) }, query: { from, until } })
    expect(jobs).toHaveLength(1)
    expect(jobs[0]!.rows.map(({ row, letters: said }) => [row, said.slice(0, 4)])).toEqual([['a', 'LLML'], ['b', 'LFML'], ['c', 'LLML']])
    expect((await server.reader.call(routes.datasetCoverage, { params: { id: Number(id) + 1 }, query: { from, until } })).jobs).toEqual([])
    expect((await server.reader.fault(routes.datasetCoverage, { params: { id: 999_999 }, query: { from, until } })).code).toBe('unknown-name')
  }) // prettier-ignore
  it('is planned by what is picked, and by nothing else', async () => {
    lay('b', '2026-11-02', [4, 5])
    lay('a', '2026-11-03', [6])
    const id = await plan([{ row: 'b', from: midnight('11-02'), to: midnight('11-03') }, { row: 'a', from: midnight('11-03'), to: midnight('11-04') }]) // prettier-ignore
    const { loads, picks, span: said } = await server.reader.call(routes.plan, { params: { id } })
    expect([loads, picks?.length, said]).toEqual([3, 2, '2026-11-02 … 2026-11-03'])
    const planned = await server.reader.call(routes.planLoads, { params: { id }, query: {} })
    expect(planned.loads.map(({ key }) => key)).toEqual(['make', 'b · 2026-11-02', 'a · 2026-11-03'])
    expect((await start(id))[1]).toBe('done')
    expect(await letters()).toMatchObject({ a: 'LLLLMMMMMM', b: 'LLMLMMMMMM' })
    // picked again from the plan, it is the same
    expect(await server.reader.fault(routes.makePlan, { body: { job: 'readings', environment: 'dev', picks: [{ part: 'bring', row: 'a', from: midnight('11-03'), to: '2026-11-03T12:00:00+01:00' }] } })).toMatchObject({ code: 'slices' }) // prettier-ignore
  })
  it('a later failure leaves what is there, and a load that is done again counts anew', async () => {
    lay('a', '2026-11-01', ['x', 'y', 'z'])
    await start(await plan([{ row: 'a', from: midnight('11-01'), to: midnight('11-02') }]))
    expect((await letters()).a).toBe('ELLLMMMMMM')
    lay('a', '2026-11-01', [1, 2, 3, 4, 5])
    await start(await plan([{ row: 'a', from: midnight('11-01'), to: midnight('11-02') }]))
    const { rows } = await coverage()
    expect([rows[0]!.letters[0], rows[0]!.rows[0]]).toEqual(['L', 5])
  })
  it('a rerun from a later step has the rows of the steps that it keeps', async () => {
    const [found] = await server.own(`select load_id as id, run_id as run from mattock.coverage where row_key = 'a' and slice_label = '2026-11-01'`) // prettier-ignore
    await server.own(`update mattock.load set state = 'failed' where id = $1`, [found!.id])
    const again = await rerun(server.engine, found!.run as number, { by: 'test', from: { failed: true }, again: true }) // prettier-ignore
    await server.ended(again)
    const { rows } = await coverage()
    expect([rows[0]!.letters[0], rows[0]!.rows[0]]).toEqual(['L', 5])
  })
  it('a session that recorded one kind of end records the other', async () => {
    const ends = await server.own(`select max(l.id) filter (where r.rerun_from is null) as plain, max(l.id) filter (where r.rerun_from is not null) as again
      from mattock.load l join mattock.run r on r.id = l.run_id where l.state = 'done' and l.row_key = 'a'`) // prettier-ignore
    const client = await server.engine.db.$client.connect()
    try {
      await client.query('begin')
      for (const id of [ends[0]!.plain, ends[0]!.again, ends[0]!.plain])
        for (const state of ['running', 'done'])
          await client.query('update mattock.load set state = $2 where id = $1', [id, state])
    } finally {
      await client.query('rollback')
      client.release(true)
    }
  })
  it('of one slice there is all that is known: its loads, its files, the usual of its row', async () => {
    const query = { environment: 'dev', job: 'readings', part: 'bring', row: 'b', from: '2026-11-01T23:00:00.000Z', to: '2026-11-02T23:00:00.000Z' } // prettier-ignore
    const known = await server.reader.call(routes.slice, { query })
    expect(known.loads.map(({ state, rows }) => [state, rows])).toEqual([['done', 2], ['failed', 0]]) // prettier-ignore
    expect(known.loads[1]!.message).toContain('b_20261102.csv')
    expect(known).toMatchObject({ total: 2, usual: 3, files: [{ path: 'b_20261102.csv', store: 'drop', did: 'read' }], uses: [] }) // prettier-ignore
    // nothing is known of one that never was
    expect(await server.reader.call(routes.slice, { query: { ...query, row: 'no"body' } })).toMatchObject({ loads: [], total: 0, usual: null }) // prettier-ignore
  })
  it('says which later runs of other jobs read what it wrote', async () => {
    await server.load(`mattock: job/1
name: report
title: The report
parts:
  - each: {roster: {rows: [{one: 1}]}}
    do:
      - {id: sum, transfer: {from: {connection: warehouse, table: public.reading}, into: {store: drop, file: report.csv, format: csv}}}
`) // prettier-ignore
    const { uses, places } = await server.reader.call(routes.slice, { query: { environment: 'dev', job: 'readings', part: 'bring', row: 'b', from: '2026-11-01T23:00:00Z', to: '2026-11-02T23:00:00Z' } }) // prettier-ignore
    expect(uses).toMatchObject([{ job: 'report', title: 'The report', place: 'warehouse.public.reading', label: null }]) // prettier-ignore
    expect(places).toEqual(['warehouse.public.reading'])
  })
  it('an earlier rule’s slices stay, a row that is gone is not missed, and a new one begins with its next slice', async () => {
    const { text, newest } = await server.reader.call(routes.job, { params: { name: 'readings' } })
    expect(text).toContain('P1D')
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text: job('', '[{feed: a, kind: flow}, {feed: "d\'s", kind: x}]', 'PT12H'), base: newest } }) // prettier-ignore
    const found = await coverage({ until: '2026-11-03T23:00:00Z' })
    // two halves of each day, and the day as it was loaded
    expect(found.slices).toHaveLength(9)
    expect(Object.fromEntries(found.rows.map((row) => [row.row, [row.letters, row.there]]))).toEqual({
      a: ['NLNNLNNLN', true],
      "d's": ['BNBBNBBNB', true],
      b: ['NLNNLNNNN', false],
      c: ['NLNNLNNNN', false],
    })
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text: job(', restate: P3D'), base: newest + 1 } }) // prettier-ignore
    expect((await coverage()).restatedFrom).toBe('2026-11-07T23:00:00Z')
  })
  it('stays when the loads are no longer kept', async () => {
    const before = await letters()
    await server.own('delete from mattock.run')
    expect(await letters()).toEqual(before)
    const known = await server.reader.call(routes.slice, { query: { environment: 'dev', job: 'readings', part: 'bring', row: 'b', from: '2026-11-01T23:00:00Z', to: '2026-11-02T23:00:00Z' } }) // prettier-ignore
    expect(known).toMatchObject({ loads: [], total: 2, files: [] })
  })
  it('what cannot be asked is told: spans, jobs, slices too many for the page', async () => {
    expect(await server.reader.fault(routes.coverage, { query: { ...span, until: span.from } })).toMatchObject({ code: 'request', status: 400 }) // prettier-ignore
    expect(await server.reader.fault(routes.coverage, { query: { ...span, job: 'report' } })).toMatchObject({ code: 'unknown-name' }) // prettier-ignore
    expect(await server.reader.fault(routes.coverage, { query: { ...span, environment: 'nowhere' } })).toMatchObject({ code: 'unknown-name' }) // prettier-ignore
    const { newest } = await server.reader.call(routes.job, { params: { name: 'readings' } })
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text: job('', '[{feed: a}]', 'PT5M'), base: newest } }) // prettier-ignore
    expect(await coverage()).toMatchObject({ rows: [], without: expect.stringContaining('more than 1,500 slices') as string }) // prettier-ignore
  })
  it('rows that cannot be read are said, and what was loaded is shown', async () => {
    const { newest } = await server.reader.call(routes.job, { params: { name: 'readings' } })
    const text = job().replace(
      /roster: \{rows: .*, key: \[feed\]\}/,
      'roster: {control: nowhere, key: [feed]}',
    )
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text, base: newest } })
    const found = await coverage()
    expect(found.trouble).toContain('nowhere')
    expect(found.rows.map(({ row, there }) => [row, there])).toEqual([['a', true], ['b', true], ['c', true]]) // prettier-ignore
  })
})
