import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { planDocumentSchema } from '../../contract/plans'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.rows('create schema raw')
  for (const table of ['flow', 'level'])
    await server.rows(`create table raw.${table} (meter text primary key, value numeric)`)
  await server.engineer.call(routes.createControl, {
    body: {
      name: 'feeds',
      title: 'Feeds',
      columns: [
        { name: 'feed', type: 'text' },
        { name: 'target', type: 'text' },
        { name: 'active', type: 'boolean' },
      ],
      key: ['feed'],
      rows: [
        { feed: 'flow_north', target: 'flow', active: true },
        { feed: 'level_north', target: 'level', active: true },
        { feed: 'odd "one", 100 %', target: 'level', active: true },
        { feed: 'old', target: 'flow', active: false },
      ],
    },
  })
  for (const day of ['01', '02'])
    for (const feed of ['flow_north', 'level_north'])
      server.writeFile(`${feed}_202611${day}.csv`, 'meter,value\na,1\n')
  await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text: text() } })
})
afterAll(() => server.close())

const text = (more: { where?: string } = {}) => `mattock: job/1
name: readings
title: Readings
slices: {every: P1D, zone: UTC, from: 2026-11-01}
parts:
  - once:
      - {id: empty, sql: {on: warehouse, text: "delete from raw.flow where meter = 'none'"}}
  - each: {roster: {control: feeds, where: "${more.where ?? 'row.active'}"}, at_once: 2}
    do:
      - id: bring-in
        transfer:
          from: {store: drop, files: "{row.feed}_{format(slice.from, 'yyyyMMdd')}.csv"}
          into: {connection: warehouse, table: "raw.{row.target}", write: upsert, key: [meter]}
`
const plan = async (more: object = {}) => {
  const { id } = await server.engineer.call(routes.makePlan, {
    body: { job: 'readings', environment: 'dev', span: '2026-11-01/2026-11-03', ...more },
  })
  return id
}
const at = (id: number) => ({ params: { id } })

describe('a plan', () => {
  let id: number
  beforeAll(async () => void (id = await plan()))

  it('has a load for each row and slice, and the part that runs once', async () => {
    const found = await server.reader.call(routes.plan, at(id))
    expect(found).toMatchObject({ job: 'readings', loads: 7, left: 0, version: 1, stops: 0, span: '2026-11-01/2026-11-03' }) // prettier-ignore
    expect(found.findings.map(({ code }) => code)).toContain('no-file')
  })

  it('shows only what differs, and the files each load would read', async () => {
    const { total, loads } = await server.reader.call(routes.planLoads, at(id))
    expect(total).toBe(7)
    const [once, first] = loads
    expect(once).toMatchObject({ each: false, files: null })
    expect(first).toMatchObject({
      key: 'flow_north · 2026-11-01',
      files: { names: ['flow_north_20261101.csv'], bytes: 16 },
    })
    const { parts } = await server.reader.call(routes.plan, at(id))
    const columns = parts[1]!.differing.columns.map(({ label }) => label)
    expect(first!.cells).toHaveLength(columns.length)
    // every load is active, so the column says nothing
    expect(columns).not.toContain('active')
  })

  it('is searched by what loads resolve to, letters with a meaning in SQL being letters', async () => {
    const search = async (of: string) =>
      (await server.reader.call(routes.planLoads, { ...at(id), query: { search: of } })).total
    expect(await search('LEVEL_north')).toBe(2)
    expect(await search('20261102')).toBe(3)
    expect(await search('100 %')).toBe(2)
    expect(await search('%')).toBe(2)
    expect(await search('_')).toBe(6)
    expect(await search(`'; drop table mattock.plan; --`)).toBe(0)
  })

  it('finds the loads that a finding is about', async () => {
    const { loads, total } = await server.reader.call(routes.planLoads, {
      ...at(id),
      query: { code: 'no-file' },
    })
    expect(total).toBe(2)
    expect(loads.every(({ codes }) => codes.includes('no-file'))).toBe(true)
    expect(
      (await server.reader.call(routes.planLoads, { ...at(id), query: { code: 'no-such' } })).total,
    ).toBe(0)
  })

  it('tells one load whole: written, resolved, and what is against it', async () => {
    const load = await server.reader.call(routes.planLoad, { params: { id, number: 3 } })
    expect(load.row).toMatchObject({ feed: 'odd "one", 100 %', target: 'level' })
    expect(load.steps[0]!.texts).toContainEqual({
      path: 'transfer.from.files',
      label: expect.any(String) as string,
      written: `{row.feed}_{format(slice.from, 'yyyyMMdd')}.csv`,
      resolved: 'odd "one", 100 %_20261101.csv',
      values: null,
      later: false,
    })
    expect(load.findings.map(({ code }) => code)).toContain('no-file')
    expect(await server.reader.fault(routes.planLoad, { params: { id, number: 70 } })).toMatchObject({ status: 404 }) // prettier-ignore
  })

  it('is not there under a number that no plan has', async () => {
    for (const route of [routes.plan, routes.planLoads])
      expect(await server.reader.fault(route, at(4242))).toMatchObject({ status: 404, code: 'unknown-name' })
  })
})

describe('leaving loads out', () => {
  it('holds for numbers, for a finding, for what was searched, and can be taken back', async () => {
    const id = await plan()
    const leave = (body: object) => server.engineer.call(routes.leaveOut, { ...at(id), body: { left: true, ...body } as never }) // prettier-ignore
    const left = async () => (await server.reader.call(routes.plan, at(id))).left
    expect(await leave({ numbers: [1, 2] })).toEqual({ changed: 2 })
    expect(await leave({ code: 'no-file' })).toEqual({ changed: 2 })
    expect(await left()).toBe(4)
    expect(await leave({ search: 'flow_north', left: false })).toEqual({ changed: 2 })
    expect(await left()).toBe(3)
    const shown = await server.reader.call(routes.planLoads, { ...at(id), query: { left: 'yes' } })
    expect(shown.loads.map(({ key }) => key)).toEqual([
      'level_north · 2026-11-01',
      'odd "one", 100 % · 2026-11-01',
      'odd "one", 100 % · 2026-11-02',
    ])
  })

  it('is not a reader’s to do', async () => {
    const id = await plan()
    expect(
      await server.reader.fault(routes.leaveOut, { ...at(id), body: { numbers: [1], left: true } as never }),
    ).toMatchObject({ status: 403 })
  })
})

describe('planning', () => {
  it('of some rows keeps to them', async () => {
    const id = await plan({ only: `row.target == 'flow'` })
    const found = await server.reader.call(routes.plan, at(id))
    expect(found).toMatchObject({ loads: 3, only: `row.target == 'flow'` })
  })

  it('refuses what it cannot plan: no such job, environment, span, or expression', async () => {
    const refuse = (more: object) =>
      server.engineer.fault(routes.makePlan, {
        body: { job: 'readings', environment: 'dev', span: '2026-11-01', ...more },
      })
    expect(await refuse({ job: 'reading' })).toMatchObject({ status: 404 })
    expect(await refuse({ environment: 'moon' })).toMatchObject({ status: 404 })
    expect(await refuse({ span: '2026-11-05/2026-11-01' })).toMatchObject({ status: 400, code: 'slices' })
  })

  it('that stops does not start, and says why', async () => {
    await server.engineer.call(routes.saveJob, {
      params: { name: 'readings' },
      body: { text: text().replace('on: warehouse', 'on: warehous') },
    })
    const id = await plan()
    expect((await server.reader.call(routes.plan, at(id))).stops).toBeGreaterThan(0)
    expect(await server.engineer.fault(routes.startRun, { body: { plan: id } })).toMatchObject({
      status: 409,
      code: 'plan-stops',
    })
    await server.engineer.call(routes.saveJob, { params: { name: 'readings' }, body: { text: text() } })
  })
})

describe('an expression that is none', () => {
  it('stops the plan at its place', async () => {
    const found = await server.reader.call(routes.plan, at(await plan({ only: 'row.' })))
    expect(found.stops).toBeGreaterThan(0)
    expect(found.findings.map(({ level }) => level)).toContain('stop')
  })
})

describe('comparing plans', () => {
  it('says what came, what went, and which texts changed', async () => {
    const before = await plan()
    const row = (await server.engineer.call(routes.controlTable, { params: { name: 'feeds' }, query: { environment: 'dev' } })) // prettier-ignore
    const version = (feed: string) => row.versions[row.rows.findIndex((one) => one.feed === feed)]!
    await server.engineer.call(routes.editControl, {
      params: { name: 'feeds' },
      query: { environment: 'dev' },
      body: {
        edits: [
          { kind: 'add', set: { feed: 'new_one', target: 'flow', active: true } },
          {
            kind: 'change',
            key: { feed: 'level_north' },
            version: version('level_north'),
            set: { target: 'flow' },
          },
          { kind: 'remove', key: { feed: 'odd "one", 100 %' }, version: version('odd "one", 100 %') },
        ],
      },
    })
    const after = await plan()
    const compared = await server.reader.call(routes.comparePlans, { ...at(after), query: { with: before } })
    expect(compared).toMatchObject({ added: 2, gone: 2, changed: 2, same: 3 })
    expect(compared.texts).toMatchObject([
      { step: 'bring-in', before: 'raw.level', after: 'raw.flow', count: 2 },
    ])
    const keys = async (kind: 'added' | 'gone') =>
      (
        await server.reader.call(routes.comparePlans, { ...at(after), query: { with: before, kind } })
      ).changes.map(({ key }) => key)
    expect(await keys('added')).toEqual(['new_one · 2026-11-01', 'new_one · 2026-11-02'])
    expect(await keys('gone')).toEqual(['odd "one", 100 % · 2026-11-01', 'odd "one", 100 % · 2026-11-02'])
    const others = await server.reader.call(routes.otherPlans, at(after))
    expect(others.map(({ id }) => id)).toContain(before)
    expect(others.map(({ id }) => id)).not.toContain(after)
  })
})

describe('a plan as a document', () => {
  it('has all of it, for scripts (product.md section 11)', async () => {
    const id = await plan()
    const document = planDocumentSchema.parse(
      await (await server.reader.fetch(`/api/plans/${id}/document`)).json(),
    )
    expect(document.loads.map(({ key }) => key)).toEqual([
      'flow_north · 2026-11-01',
      'level_north · 2026-11-01',
      'new_one · 2026-11-01',
      'flow_north · 2026-11-02',
      'level_north · 2026-11-02',
      'new_one · 2026-11-02',
    ])
    expect(document.once).toMatchObject([{ id: 'empty', kind: 'sql' }])
    expect(document.loads[0]!.steps[0]!.resolved).toMatchObject({ 'from.files': 'flow_north_20261101.csv' })
  })

  it('says in its document which steps wait for which, as the job orders them, without those turned off', async () => {
    const ordered = `mattock: job/1
name: ordered
title: Ordered
parts:
  - once:
      - {id: a, log: {text: a}}
      - {id: gone, off: true, log: {text: gone}}
      - {id: b, after: [], log: {text: b}}
      - {id: c, after: [a, b], log: {text: c}}
`
    await server.engineer.call(routes.saveJob, { params: { name: 'ordered' }, body: { text: ordered } })
    const { id } = await server.engineer.call(routes.makePlan, {
      body: { job: 'ordered', environment: 'dev' },
    })
    const { once } = await server.reader.call(routes.planDocument, at(id))
    expect(once.map(({ id: step, after }) => [step, after])).toEqual([['a', []], ['b', []], ['c', ['a', 'b']]]) // prettier-ignore
  })

  it('is taken out as CSV, a load a line', async () => {
    const id = await plan()
    const response = await server.reader.fetch(`/api/plans/${id}/file?as=csv`)
    expect(response.headers.get('content-disposition')).toBe(`attachment; filename="readings-plan-${id}.csv"`)
    const lines = (await response.text()).trim().split('\r\n')
    expect(lines).toHaveLength(8)
    expect(lines[0]).toMatch(/^load,slice_from,slice_to,feed,target,active,/)
  })

  it('gives its findings in SARIF 2.1.0 (an open standard of OASIS)', async () => {
    const id = await plan()
    const response = await server.reader.fetch(`/api/plans/${id}/file?as=sarif`)
    expect(response.headers.get('content-type')).toMatch(/^application\/sarif\+json/)
    const log = (await response.json()) as { version: string; runs: { results: { ruleId: string }[] }[] }
    expect(log.version).toBe('2.1.0')
    expect(log.runs[0]!.results.map(({ ruleId }) => ruleId)).toContain('no-file')
  })
})
