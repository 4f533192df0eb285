import { gzipSync } from 'node:zlib'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
  await server.worker()
  for (const day of [1, 2, 3])
    server.writeFile(
      `flow/flow_2026110${day}.csv`,
      `meter;value;seen\nA${day};1,5;2026-11-0${day}\nB;2,25;\n`,
    )
  server.writeFile('level/level.csv.gz', gzipSync('meter,level\n1,2\n2,3\n'))
  server.writeFile('notes/readme.txt', 'nothing to see here\n')
  await server.rows('create schema raw')
  await server.rows(`create table raw."Odd ""one""" (id bigint primary key, note text, at timestamptz)`)
  await server.rows(`insert into raw."Odd ""one""" select i, 'n' || i, now() from generate_series(1, 50) i`)
})
afterAll(() => server.close())

const dev = { environment: 'dev' }
const survey = async (connection: string, scope: object = {}) => {
  const { survey: id } = await server.engineer.call(routes.startSurvey, {
    body: { connection, ...dev, scope: { include: [], exclude: [], prefix: '', ...scope } },
  })
  for (;;) {
    const found = await server.reader.call(routes.survey, { params: { id } })
    if (found.state !== 'waiting' && found.state !== 'running') return found
    await new Promise((resolve) => setTimeout(resolve, 20))
  }
}
const datasets = async (query: object = {}) =>
  await server.reader.call(routes.datasets, { query: { ...dev, ...query } })
const idOf = async (name: string) => (await datasets()).datasets.find((one) => one.name.includes(name))!.id

describe('a survey', () => {
  it('finds like files as one dataset, and says of the rest why it is none', async () => {
    const found = await survey('drop')
    expect(found).toMatchObject({ state: 'done', proposals: { new: 2, open: 2 }, same: 0 })
    expect(found.strays).toMatchObject([{ path: 'notes/readme.txt', reason: 'text, but no table' }])
    const { proposals } = await server.reader.call(routes.surveyProposals, { params: { id: found.id } })
    expect(proposals.map(({ kind, found: of }) => [kind, of?.files])).toEqual([
      ['new', 3],
      ['new', 1],
    ])
    // nothing is in the catalog until somebody says so
    expect((await datasets()).total).toBe(0)
    const decided = await server.engineer.call(routes.decideProposals, {
      params: { id: found.id },
      body: { decision: 'accept' },
    })
    expect(decided).toEqual({ decided: 2 })
    expect((await datasets()).datasets.map(({ columns, files }) => [columns, files])).toEqual([
      [3, 3],
      [2, 1],
    ])
  })

  it('that finds all as it is known proposes nothing', async () => {
    expect(await survey('drop')).toMatchObject({ proposals: { new: 0, changed: 0, open: 0 }, same: 2 })
  })

  it('reads types with the evidence for them', async () => {
    const flow = await server.reader.call(routes.dataset, { params: { id: await idOf('flow') } })
    const types = Object.fromEntries(flow.columns.map(({ name, type }) => [name, type]))
    expect(types).toEqual({ meter: 'text', value: 'decimal', seen: 'date' })
  })

  it('is one at a time for a connection, and refuses one that is not there', async () => {
    expect(
      await server.engineer.fault(routes.startSurvey, {
        body: { connection: 'nowhere', ...dev, scope: { include: [], exclude: [], prefix: '' } },
      }),
    ).toMatchObject({ status: 400, code: 'connection' })
  })

  it('of a database names tables as they are, quotes and all', async () => {
    const found = await survey('warehouse', { include: ['raw.*'], prefix: 'wh_' })
    await server.engineer.call(routes.decideProposals, {
      params: { id: found.id },
      body: { decision: 'accept' },
    })
    const { datasets: list } = await datasets({ connection: 'warehouse' })
    expect(list).toMatchObject([{ locator: 'raw.Odd "one"', kind: 'table', columns: 3 }])
    expect(list[0]!.name.startsWith('wh_')).toBe(true)
  })

  it('sees a column that came, and waits for a person', async () => {
    server.writeFile('flow/flow_20261104.csv', 'meter;value;seen;flag\nA;1,5;2026-11-04;x\n')
    const found = await survey('drop')
    expect(found.proposals).toMatchObject({ changed: 1 })
    await server.engineer.call(routes.decideProposals, {
      params: { id: found.id },
      body: { decision: 'leave' },
    })
    expect((await datasets({ flag: 'drifted' })).total).toBe(1)
    await server.engineer.call(routes.acceptDrift, { params: { id: await idOf('flow') } })
    expect((await datasets({ flag: 'drifted' })).total).toBe(0)
    const flow = await server.reader.call(routes.dataset, { params: { id: await idOf('flow') } })
    expect(flow.columns.map(({ name }) => name)).toContain('flag')
  })
})

describe('the catalog', () => {
  it('is searched by name, column and tag, letters with a meaning being letters', async () => {
    const id = await idOf('flow')
    await server.engineer.call(routes.editDataset, {
      params: { id },
      body: { tags: ['100 % sure'], owner: 'Ana' },
    })
    expect((await datasets({ search: 'SEEN' })).total).toBe(1)
    expect((await datasets({ search: '100 %' })).total).toBe(1)
    expect((await datasets({ search: '%' })).total).toBe(1)
    expect((await datasets({ search: `'; drop table mattock.dataset; --` })).total).toBe(0)
    expect((await datasets({ tag: '100 % sure' })).total).toBe(1)
    expect((await datasets({ owner: 'Ana' })).total).toBe(1)
    const facets = await server.reader.call(routes.catalogFacets, { query: dev })
    expect(facets.tags).toEqual([{ name: '100 % sure', count: 1 }])
  })

  it('keeps what a person says of a dataset over every survey', async () => {
    const id = await idOf('flow')
    const edits = { value: { name: 'litres', type: 'text' as const, description: 'as it came' } }
    await server.engineer.call(routes.editDataset, {
      params: { id },
      body: { edits, description: 'readings' },
    })
    await survey('drop')
    const flow = await server.reader.call(routes.dataset, { params: { id } })
    expect(flow.description).toBe('readings')
    expect(flow.columns.find(({ name }) => name === 'litres')).toMatchObject({ type: 'text' })
  })

  it('refuses two columns of one name, and a key of a column that is not there', async () => {
    const id = await idOf('flow')
    const edit = (body: object) => server.engineer.fault(routes.editDataset, { params: { id }, body })
    expect((await edit({ edits: { value: { name: 'meter' } } })).status).toBe(400)
    expect((await edit({ key: ['no such'] })).status).toBe(400)
    expect((await edit({ name: '' })).status).toBe(400)
    expect(await server.engineer.fault(routes.editDataset, { params: { id: 4242 }, body: {} })).toMatchObject(
      { status: 404 },
    )
  })

  it('shows rows as they stand, and the files of a dataset with what is in them', async () => {
    const odd = await server.reader.call(routes.datasetRows, {
      params: { id: (await datasets({ connection: 'warehouse' })).datasets[0]!.id },
      query: { limit: 2 },
    })
    expect(odd.columns).toEqual(['id', 'note', 'at'])
    expect(odd.rows).toHaveLength(2)
    const files = await server.reader.call(routes.datasetFiles, { params: { id: await idOf('flow') } })
    expect(files.total).toBe(4)
    expect(files.files.every(({ size, rows }) => size > 0 && rows !== null)).toBe(true)
  })

  it('gives its schema as Table Schema, and takes it back (Frictionless)', async () => {
    const id = await idOf('level')
    const schema = await server.reader.call(routes.tableSchema, { params: { id } })
    const names = (schema.fields as { name: string }[]).map(({ name }) => name)
    expect(names).toEqual(['meter', 'level'])
    const taken = await server.engineer.call(routes.takeTableSchema, {
      params: { id },
      body: {
        ...schema,
        fields: [...(schema.fields as object[]), { name: 'nobody', type: 'string' }],
      } as never,
    })
    expect(taken.left).toEqual(['nobody: the dataset has no such column'])
  })

  it('is taken out as CSV', async () => {
    const response = await server.reader.fetch('/api/catalog.csv?environment=dev')
    expect(response.headers.get('content-type')).toMatch(/^text\/csv/)
    expect((await response.text()).split('\r\n').filter(Boolean).length).toBeGreaterThan(3)
  })
})
