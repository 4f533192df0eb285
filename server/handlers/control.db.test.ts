import { afterAll, beforeAll, beforeEach, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import type { Row } from '../../core/value'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
let name: string
let counter = 0
beforeAll(async () => void (server = await testServer()))
afterAll(() => server.close())
beforeEach(async () => {
  name = `feeds_${++counter}`
  await server.engineer.call(routes.createControl, make())
})

const dev = { environment: 'dev' }
const make = (more: object = {}) => ({
  body: {
    name,
    title: 'Feeds',
    columns: [
      { name: 'feed', type: 'text' as const },
      { name: 'due', type: 'time' as const },
      { name: 'rows', type: 'integer' as const },
    ],
    key: ['feed'],
    rows: [
      { feed: 'a', due: '05:30', rows: 1 },
      { feed: `it's "b"`, due: null, rows: null },
    ],
    rules: { feed: { required: true } },
    ...more,
  },
})
const read = () => server.reader.call(routes.controlTable, { params: { name }, query: dev })
const edit = (...edits: object[]) => ({ params: { name }, query: dev, body: { edits: edits as never } })
const versionOf = async (feed: string) => {
  const { rows, versions } = await read()
  return versions[rows.findIndex((row) => row.feed === feed)]!
}
const change = async (feed: string, set: Row) => ({
  kind: 'change',
  key: { feed },
  version: await versionOf(feed),
  set,
})

describe('a control table', () => {
  it('is a real table that SQL reads, in schema control', async () => {
    expect(await server.own(`select feed, due::text, rows from control.${name} order by 1`)).toEqual([
      { feed: 'a', due: '05:30:00', rows: 1 },
      { feed: `it's "b"`, due: null, rows: null },
    ])
    expect(await read()).toMatchObject({ key: ['feed'], where: { connection: null, schema: 'control' } })
  })

  it('is made once, with columns, a key and a name that is one', async () => {
    expect(await server.engineer.fault(routes.createControl, make())).toMatchObject({ status: 409 })
    for (const bad of ['Feeds', '1feeds', 'fe eds', 'x'.repeat(64), '"; drop table x; --'])
      expect(await server.engineer.fault(routes.createControl, make({ name: bad }))).toMatchObject({
        status: 400,
        where: { path: 'name' },
      })
    expect(await server.engineer.fault(routes.createControl, make({ name: 'other', key: [] }))).toMatchObject(
      {
        status: 400,
      },
    )
    const twice = make({ name: 'twice', rows: [{ feed: 'a' }, { feed: 'a' }] })
    expect((await server.engineer.fault(routes.createControl, twice)).status).toBeLessThan(500)
    expect(await server.own(`select to_regclass('control.twice') as there`)).toEqual([{ there: null }])
  })

  it('is listed with its rows, and one whose table is gone does not take the list with it', async () => {
    const rowsOf = async () =>
      (await server.reader.call(routes.controlTables, { query: dev })).find((one) => one.name === name)!.rows
    expect(await rowsOf()).toBe(2)
    await server.own(`drop table control.${name}`)
    expect(await rowsOf()).toBeNull()
    expect(await server.reader.fault(routes.controlTable, { params: { name }, query: dev })).toMatchObject({
      status: 404,
    })
  })

  it('takes a new column, empty in every row', async () => {
    const column = { params: { name }, query: dev, body: { name: 'Odd "name"', type: 'boolean' as const } }
    await server.engineer.call(routes.addControlColumn, column)
    expect((await read()).rows.map((row) => row['Odd "name"'])).toEqual([null, null])
    expect(await server.engineer.fault(routes.addControlColumn, column)).toMatchObject({ status: 409 })
  })

  it('keeps its rules to columns that are there', async () => {
    const rules = (of: object) => ({ params: { name }, query: dev, body: { title: 'T', rules: of as never } })
    await server.engineer.call(routes.changeControl, rules({ rows: { required: true } }))
    expect(await read()).toMatchObject({ title: 'T', rules: { rows: { required: true } } })
    expect(
      await server.engineer.fault(routes.changeControl, rules({ rosw: { required: true } })),
    ).toMatchObject({
      status: 400,
      where: { path: 'rosw' },
    })
  })
})

describe('edits', () => {
  it('are saved together, and each is in the history with who and what it was before', async () => {
    const version = await versionOf(`it's "b"`)
    const { saved } = await server.engineer.call(
      routes.editControl,
      edit(
        await change('a', { rows: 2 }),
        { kind: 'add', set: { feed: 'c', due: '23:59', rows: 9 } },
        { kind: 'remove', key: { feed: `it's "b"` }, version },
      ),
    )
    expect(saved).toBe(3)
    expect((await read()).rows).toEqual([
      { feed: 'a', due: '05:30:00', rows: 2 },
      { feed: 'c', due: '23:59:00', rows: 9 },
    ])
    const history = await server.reader.call(routes.controlHistory, { params: { name }, query: { row: 'a' } })
    expect(history[0]).toMatchObject({ by: 'the engineer', before: { rows: 1 }, after: { rows: 2 } })
    const removed = await server.reader.call(routes.controlHistory, {
      params: { name },
      query: { row: `it's "b"` },
    })
    expect(removed[0]).toMatchObject({ after: null })
  })

  it('of two people at one row: the later is told what it is now, and none of theirs is saved', async () => {
    const mine = await change('a', { rows: 5 })
    await server.engineer.call(routes.editControl, edit(await change('a', { rows: 4 })))
    const { saved, conflicts } = await server.engineer.call(
      routes.editControl,
      edit(mine, { kind: 'add', set: { feed: 'c' } }),
    )
    expect(saved).toBe(0)
    expect(conflicts).toMatchObject([{ key: { feed: 'a' }, now: { rows: 4 } }])
    expect((await read()).rows.map(({ feed }) => feed)).not.toContain('c')
  })

  it('see what SQL changed meanwhile as a change too', async () => {
    const mine = await change('a', { rows: 5 })
    await server.own(`update control.${name} set rows = 77 where feed = 'a'`)
    const { conflicts } = await server.engineer.call(routes.editControl, edit(mine))
    expect(conflicts).toMatchObject([{ now: { rows: 77 } }])
  })

  it('that break a rule or a type say which cell, and nothing is saved', async () => {
    const refuse = async (set: Row) =>
      await server.engineer.fault(
        routes.editControl,
        edit({ kind: 'add', set: { feed: 'fine' } }, { kind: 'add', set }),
      )
    expect(await refuse({ feed: null })).toMatchObject({ status: 400, code: 'control' })
    expect((await refuse({ feed: 'x', rows: 'many' as never })).message).toContain('rows')
    expect((await refuse({ feed: 'x', due: '25:61' })).status).toBe(400)
    expect((await refuse({ feed: 'a' })).status).toBeLessThan(500)
    expect((await read()).rows).toHaveLength(2)
  })

  it('are not a reader’s to make', async () => {
    expect(await server.reader.fault(routes.editControl, edit(await change('a', { rows: 3 })))).toMatchObject(
      {
        status: 403,
      },
    )
  })
})

describe('taking a table as a control table', () => {
  const adopt = (more: object = {}) => ({
    query: dev,
    body: {
      name: `own_${counter}`,
      title: 'Own',
      connection: 'warehouse',
      schema: 'c',
      table: `t${counter}`,
      ...more,
    },
  })

  it('leaves its rows as they are, and needs a key to tell them apart', async () => {
    await server.rows('create schema if not exists c')
    await server.rows(`create table c.t${counter} (id bigint primary key, big numeric, at timestamptz)`)
    await server.rows(`insert into c.t${counter} values (9007199254740993, 1.10, '2026-01-01T00:00Z')`)
    await server.engineer.call(routes.adoptControl, adopt())
    const table = await server.reader.call(routes.controlTable, {
      params: { name: `own_${counter}` },
      query: dev,
    })
    // beyond 2^53 a number of JavaScript is another number
    expect(table.rows).toEqual([{ id: '9007199254740993', big: 1.1, at: '2026-01-01T00:00:00.000Z' }])
    await server.rows(`create table c.loose${counter} (id int)`)
    expect(
      await server.engineer.fault(routes.adoptControl, adopt({ name: 'loose', table: `loose${counter}` })),
    ).toMatchObject({ status: 400, code: 'control' })
    expect(
      await server.engineer.fault(routes.adoptControl, adopt({ name: 'gone', table: 'gone' })),
    ).toMatchObject({
      status: 404,
    })
  })
})

describe('letting go of one', () => {
  it('is refused while a job loops over it, and leaves the table where it is', async () => {
    const text = `mattock: job/1\nname: reads-${counter}\ntitle: R\nparts:\n  - each: {roster: {control: ${name}}}\n    do: [{id: s, log: {text: x}}]\n`
    await server.engineer.call(routes.saveJob, { params: { name: `reads-${counter}` }, body: { text } })
    expect((await read()).jobs).toEqual([`reads-${counter}`])
    const forget = { params: { name } }
    expect((await server.engineer.fault(routes.forgetControl, forget)).message).toBe(
      `reads-${counter} loops over ${name}`,
    )
    await server.engineer.call(routes.saveJob, {
      params: { name: `reads-${counter}` },
      body: { text: text.replace(`{control: ${name}}`, '{rows: [{a: 1}]}') },
    })
    await server.engineer.call(routes.forgetControl, forget)
    expect(await server.own(`select count(*)::int as n from control.${name}`)).toEqual([{ n: 2 }])
    expect(await server.engineer.fault(routes.forgetControl, forget)).toMatchObject({ status: 404 })
  })
})

describe('what edits would do', () => {
  it('is said for each job that reads the table, before they are saved', async () => {
    const text = `mattock: job/1\nname: effect-${counter}\ntitle: E\nparts:\n  - each: {roster: {control: ${name}}}\n    do: [{id: s, log: {text: "{row.due}"}}]\n`
    await server.engineer.call(routes.saveJob, { params: { name: `effect-${counter}` }, body: { text } })
    const effects = await server.reader.call(
      routes.controlEffect,
      edit(await change('a', { due: '06:00' }), { kind: 'add', set: { feed: 'c', due: '07:00' } }),
    )
    expect(effects).toMatchObject([
      { job: `effect-${counter}`, effect: { added: 1, gone: 0, changed: 1, same: 1, addedKeys: ['c'] } },
    ])
    expect((await read()).rows).toHaveLength(2)
  })
})

describe('bad input', () => {
  const refused = async (more: object) => {
    const fault = await server.engineer.fault(routes.createControl, make({ name: `${name}_bad`, ...more }))
    expect(fault.status).toBeLessThan(500)
    // nothing is left of it
    expect(await server.own(`select to_regclass('control.${name}_bad') as left`)).toEqual([{ left: null }])
    return fault
  }

  it.each([
    [{ feed: 'c', due: '25:00', rows: 1 }, 'due'],
    [{ feed: 'c', due: '05:30', rows: 'many' }, 'rows'],
    [{ feed: 'c', due: '05:30', rows: 1.5 }, 'rows'],
    [{ feed: 'c', due: true, rows: 1 }, 'due'],
    [{ feed: 'c\u0000d', due: null, rows: 1 }, 'feed'],
    [{ feed: 'c', due: null, rows: '99999999999999999999' }, 'rows'],
  ])('a first row %j says which row and column', async (row, path) => {
    const { where } = await refused({ rows: [{ feed: 'a', due: null, rows: 1 }, row] })
    expect(where).toMatchObject({ path, row: expect.stringMatching(/^c/) as string })
  })

  it('a key twice, or none, says whose', async () => {
    const twice = await refused({ rows: [{ feed: 'a' }, { feed: 'b' }, { feed: 'a' }] })
    expect(twice.message).toMatch(/a/)
    const none = await refused({ rows: [{ feed: 'a' }, { feed: null, rows: 1 }] })
    expect(none).toMatchObject({ code: 'control', message: expect.stringContaining('feed') as string })
  })

  it('columns twice, without a name, or with one that is too long, are told by name', async () => {
    const columns = (names: string[]) => ({
      columns: names.map((own) => ({ name: own, type: 'text' })),
      key: ['feed'],
      rows: [],
      rules: {},
    })
    for (const names of [
      ['feed', 'feed'],
      ['feed', ''],
      ['feed', 'ü'.repeat(32)],
      ['feed', 'a\u0000'],
    ])
      expect((await refused(columns(names))).status).toBe(400)
    expect((await refused({ ...columns(['feed']), key: ['nothing'] })).message).toContain('nothing')
    for (const own of ['ü'.repeat(32), 'a\u0000', '', 'feed'])
      expect(
        await server.engineer.fault(routes.addControlColumn, {
          params: { name },
          query: dev,
          body: { name: own, type: 'text' },
        }),
      ).toMatchObject({ status: own === 'feed' ? 409 : 400 })
  })

  it('an edit with a zero byte, or of a column that is not there, is told at its place', async () => {
    const sets: Row[] = [
      { feed: 'x\u0000' },
      { nothing: 'x' },
      { rows: '1e400' },
      { rows: '9223372036854775808' },
    ]
    for (const set of sets) {
      const fault = await server.engineer.fault(routes.editControl, edit(await change('a', set)))
      expect(fault, JSON.stringify(set)).toMatchObject({ code: 'control', status: 400 })
    }
    const twice = await server.engineer.fault(
      routes.editControl,
      edit({ kind: 'add', set: { feed: 'n' } }, { kind: 'add', set: { feed: 'n' } }),
    )
    expect(twice).toMatchObject({ code: 'control', status: 400 })
  })
})
