import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { testServer, type TestServer } from '../../tests/support/server'

let server: TestServer
beforeAll(async () => void (server = await testServer()))
afterAll(() => server.close())

const list = async () => await server.keeper.call(routes.connections, { query: { environment: 'dev' } })
const named = async (name: string) => (await list()).find((one) => one.name === name)
const add = (body: object) => ({
  body: { name: 'books', kind: 'postgres', title: 'Books', cap: null, ...body } as never,
})

describe('connections', () => {
  it('are listed with their settings by environment, and whether there is a secret, never the secret', async () => {
    const warehouse = (await named('warehouse'))!
    expect(warehouse).toMatchObject({ kind: 'postgres', cap: 8, active: 0 })
    expect(warehouse.settings).toMatchObject([{ environment: 'dev', hasSecret: true, updatedBy: 'test' }])
    const [stored] = await server.own(
      `select secret from mattock.connection_setting where connection = 'warehouse'`,
    )
    const password = new URL(server.warehouseUrl).password
    const answer = await (await server.keeper.fetch('/api/connections?environment=dev')).text()
    expect(answer).not.toContain(password)
    expect((stored!.secret as Buffer).toString('latin1')).not.toContain(password)
  })

  it('are added once; a name that no one can write in a job is refused', async () => {
    await server.keeper.call(routes.addConnection, add({}))
    expect(await named('books')).toMatchObject({ title: 'Books', settings: [] })
    expect(await server.keeper.fault(routes.addConnection, add({}))).toMatchObject({
      status: 409,
      message: 'there is a connection "books" already',
    })
    for (const name of ['Books', '1books', 'bo oks', ''])
      expect(await server.keeper.fault(routes.addConnection, add({ name }))).toMatchObject({ status: 400 })
    expect(await server.keeper.fault(routes.addConnection, add({ name: 'x', kind: 'pigeon' }))).toMatchObject(
      {
        status: 400,
        where: { path: 'kind' },
      },
    )
    expect(await server.keeper.fault(routes.addConnection, add({ name: 'x', cap: 0 }))).toMatchObject({
      status: 400,
      where: { path: 'cap' },
    })
  })

  it('take settings of their kind only, each fault at its key', async () => {
    const save = (settings: object, more: object = {}) =>
      server.keeper.fault(routes.saveSettings, {
        params: { name: 'books', environment: 'dev', ...more },
        body: { settings: settings as never },
      })
    expect(await save({ host: 'h', port: 'many', database: 'd', user: 'u' })).toMatchObject({
      status: 400,
      where: { path: 'port' },
    })
    expect(await save({ host: 'h', port: 5432, database: 'd', user: 'u', folder: '/x' })).toMatchObject({
      status: 400,
      where: { path: 'folder' },
    })
    expect(await save({}, { name: 'no-such' })).toMatchObject({ status: 404 })
    expect(await save({}, { environment: 'moon' })).toMatchObject({
      status: 404,
      message: 'there is no environment "moon"',
    })
  })

  it('keep a secret that is left out, and lose one that is emptied', async () => {
    const settings = { host: 'h', port: 5432, database: 'd', user: 'u' }
    const save = (secret?: string) =>
      server.keeper.call(routes.saveSettings, {
        params: { name: 'books', environment: 'dev' },
        body: { settings, ...(secret === undefined ? {} : { secret }) },
      })
    const has = async () => (await named('books'))!.settings[0]!.hasSecret
    await save('very secret')
    expect(await has()).toBe(true)
    await save()
    expect(await has()).toBe(true)
    await save('')
    expect(await has()).toBe(false)
  })

  it('seal the same secret differently each time', async () => {
    const secretOf = async () => {
      await server.keeper.call(routes.saveSettings, {
        params: { name: 'books', environment: 'dev' },
        body: { settings: { host: 'h', port: 1, database: 'd', user: 'u' }, secret: 'the same' },
      })
      const [row] = await server.own(
        `select encode(secret, 'hex') as hex from mattock.connection_setting where connection = 'books'`,
      )
      return row!.hex
    }
    expect(await secretOf()).not.toBe(await secretOf())
  })

  it('are changed and removed by name', async () => {
    const change = { params: { name: 'books' }, body: { title: 'All books', cap: 3 } }
    await server.keeper.call(routes.changeConnection, change)
    expect(await named('books')).toMatchObject({ title: 'All books', cap: 3 })
    await server.keeper.call(routes.removeConnection, { params: { name: 'books' } })
    expect(await named('books')).toBeUndefined()
    expect(await server.keeper.fault(routes.changeConnection, change)).toMatchObject({ status: 404 })
  })
})

describe('the test of a connection', () => {
  const test = (name: string, environment = 'dev') =>
    server.operator.call(routes.testConnection, { params: { name }, body: { environment } })

  it('goes step by step, with what each found and how long it took', async () => {
    const { ok, steps } = await test('warehouse')
    expect(ok).toBe(true)
    expect(steps.map(({ label }) => label)).toEqual([
      'settings',
      'name resolves',
      'port answers',
      'signs in',
      'can read',
      'can write',
    ])
    expect(steps.every((step) => step.milliseconds >= 0 && step.detail !== '')).toBe(true)
  })

  it('ends at the first step that fails, with the reason', async () => {
    const settings = async (of: object) => {
      await server.keeper.call(routes.saveSettings, {
        params: { name: 'warehouse', environment: 'live' },
        body: { settings: { host: '127.0.0.1', port: 5432, database: 'd', user: 'u', ...of }, secret: 'x' },
      })
      return await test('warehouse', 'live')
    }
    // port 1 of the loopback answers nobody (common practice, no source)
    const closed = await settings({ port: 1 })
    expect(closed.ok).toBe(false)
    expect(closed.steps.at(-1)).toMatchObject({ label: 'port answers', ok: false })
    const { port } = new URL(server.warehouseUrl)
    const refused = await settings({ port: Number(port), user: 'stranger' })
    expect(refused.steps.at(-1)).toMatchObject({ label: 'signs in', ok: false })
    expect(refused.steps.at(-1)!.detail).toMatch(/stranger/)
  })

  it('says where there are no settings, and where there is no such connection', async () => {
    expect((await test('drop', 'live')).steps).toMatchObject([
      { ok: false, detail: 'drop has no settings in live' },
    ])
    expect((await test('no-such')).steps).toMatchObject([
      { ok: false, detail: 'there is no connection "no-such"' },
    ])
  })

  it('tells a folder that is not there, and one that cannot be written', async () => {
    await server.keeper.call(routes.saveSettings, {
      params: { name: 'drop', environment: 'live' },
      body: { settings: { folder: `${server.folder}/stores/gone` } },
    })
    const gone = await test('drop', 'live')
    expect(gone.ok).toBe(false)
    expect(gone.steps.at(-1)!.detail).toMatch(/gone/)
    expect((await test('drop')).ok).toBe(true)
  })
})

describe('what lies in a connection', () => {
  const browse = (name: string, path = '') =>
    server.reader.call(routes.browse, { params: { name }, query: { environment: 'dev', path } })

  it('is schemas, then tables with their sizes', async () => {
    await server.rows('create schema shelf')
    await server.rows(`create table shelf."Odd ""name" (id int primary key, note text)`)
    expect((await browse('warehouse')).map(({ name }) => name)).toContain('shelf')
    expect(await browse('warehouse', 'shelf')).toMatchObject([
      { kind: 'table', name: 'Odd "name', path: 'shelf.Odd "name' },
    ])
  })

  it('is folders and files, and never what lies outside the store', async () => {
    server.writeFile('north/a.csv', 'x\n1\n')
    server.writeFile('b.csv', 'x\n2\n')
    expect((await browse('drop')).map(({ kind, name }) => [kind, name])).toEqual([
      ['folder', 'north'],
      ['file', 'b.csv'],
    ])
    for (const path of ['..', '../..', 'north/../..', '/etc'])
      expect(
        await server.reader.fault(routes.browse, {
          params: { name: 'drop' },
          query: { environment: 'dev', path },
        }),
      ).toMatchObject({ status: 400 })
  })

  it('shows the first rows as they stand, names and values in whatever quotes', async () => {
    await server.rows(`insert into shelf."Odd ""name" values (1, 'it''s "here"'), (2, null)`)
    const rows = (path: string, name = 'warehouse') =>
      server.operator.call(routes.firstRows, { params: { name }, query: { environment: 'dev', path } })
    expect(await rows('shelf.Odd "name')).toMatchObject({
      columns: [
        { name: 'id', type: 'integer' },
        { name: 'note', type: 'text' },
      ],
      rows: [
        ['1', `it's "here"`],
        ['2', null],
      ],
    })
    expect((await rows('b.csv', 'drop')).rows).toEqual([['2']])
  })
})
