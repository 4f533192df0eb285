import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { addressOf, type Needs, type Route } from '../contract/route'
import { plainRoutes } from '../contract/plain'
import { routes } from '../contract/routes'
import { may, roleNames, type Right, type Role } from '../core/rights'
import { account } from '../database/schema'
import { saveJob } from '../engine/jobs/versions'
import { makePlan } from '../engine/planning/plan'
import { hashPassword, makeToken } from '../server/auth'
import { fileJob } from './support/bench'
import { testServer, type TestServer } from './support/server'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
})
afterAll(() => server.close())

// what nothing has: whoever may, does no harm
const params = { id: 2_147_483_647, load: 2_147_483_647, number: 1, position: 1, name: 'nothing', environment: 'dev', handle: '0123456789abcdef', kind: 'runs', user: 1, row: 'x' } // prettier-ignore
const ask = async (role: Role | 'nobody', method: string, path: string, inPerson = false) => {
  const response = await server[role].fetch(
    path,
    {
      method: method.toUpperCase(),
      ...(method === 'get' ? {} : { body: '{}' }),
      signal: AbortSignal.timeout(20_000),
    },
    inPerson,
  )
  await response.body?.cancel()
  return response.status
}

type One = [name: string, needs: Needs, method: string, path: string]
const all: One[] = [
  ...(Object.entries(routes) as [string, Route][]).map(([name, route]): One => [name, route.needs, route.method, addressOf(route, params)]),
  ...Object.entries(plainRoutes).map(([name, route]): One => [name, route.needs, route.method, route.path.replace(/:(\w+)/g, (_, key: string) => String((params as Record<string, unknown>)[key]))]),
] // prettier-ignore

it.each(Object.entries(routes as Record<string, Route>).filter(([, route]) => route.inPerson).map(([name, route]) => [name, route.method, addressOf(route, params)] as const))('%s is for who signed in, and for no token', async (_name, method, path) => {
  for (const role of roleNames) expect([role, await ask(role, method, path)]).toEqual([role, 403])
}) // prettier-ignore

describe('every operation, by every kind of account', () => {
  it.each(all)('%s needs %s', async (name, needs, method, path) => {
    // what another program signs is refused to whoever does not, account or none
    const { signed = false, inPerson } = (routes as Record<string, Partial<Route>>)[name] ?? {}
    if (needs !== 'nobody' || signed) expect(await ask('nobody', method, path)).toBe(401)
    if (signed) return
    for (const role of roleNames) {
      const status = await ask(role, method, path, inPerson)
      if (needs === 'nobody' || may({ role }, needs))
        expect([role, status]).not.toEqual([role, expect.toBeOneOf([401, 403, 500])])
      else expect([role, status]).toEqual([role, 403])
    }
  })
})

/** Who is an account of one kind, and of another in live. */
async function who(role: Role, live: Role, atMost?: Right) {
  const [made] = await server.engine.db
    .insert(account)
    .values({
      email: `${role}-${live}-${atMost}@test.example`,
      name: `${role}, ${live} in live`,
      role,
      environments: { live },
      password: await hashPassword('ten letters'),
    }) // prettier-ignore
    .returning()
  const token = await makeToken(server.engine, made!.id, 'test', atMost ? { atMost } : {})
  return async (route: Route, given: { params?: object; query?: object; body?: object }) => {
    const response = await fetch(
      `${server.address}${addressOf(route, given.params as never, given.query as never)}`,
      {
        method: route.method.toUpperCase(),
        headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
        ...(given.body ? { body: JSON.stringify(given.body) } : {}),
      },
    )
    return { status: response.status, ...((await response.json()) as object) } as { status: number; run?: number; error?: { message: string } } // prettier-ignore
  }
}

describe('what may be done by environment', () => {
  const text = `
mattock: job/1
name: words
title: Words
parts:
  - once:
      - {id: say, log: {text: 'hello'}}
`
  const planIn = async (environment: string) => {
    await saveJob(server.engine, text, { by: 'test' })
    return (await makePlan(server.engine, { job: 'words', environment, parameters: {}, by: 'test' })).id
  }

  it('an engineer who only looks in live starts, stops and reruns nothing there', async () => {
    const call = await who('engineer', 'reader')
    const [dev, live] = [await planIn('dev'), await planIn('live')]
    expect(await call(routes.startRun, { body: { plan: live } })).toMatchObject({
      status: 403,
      error: { message: 'this account may not run anything in live' },
    })
    const { status, run } = await call(routes.startRun, { body: { plan: dev } })
    expect(status).toBe(200)
    expect((await call(routes.stopRun, { params: { id: run } })).status).toBe(200)
    const { run: theirs } = await server.keeper.call(routes.startRun, { body: { plan: live } })
    expect((await call(routes.stopRun, { params: { id: theirs } })).status).toBe(403)
    expect((await call(routes.rerun, { params: { id: theirs }, body: {} })).status).toBe(403)
    expect((await call(routes.run, { params: { id: theirs } })).status).toBe(200)
    expect((await call(routes.leaveOut, { params: { id: live }, body: { left: true } })).status).toBe(403)
    // a text that nobody saved is theirs to try where they build, and nowhere else
    const typed = { text: `${text}# another`, part: 0, parameters: {}, search: '' }
    expect((await call(routes.resolveJob, { body: { ...typed, environment: 'dev' } })).status).toBe(200)
    expect((await call(routes.resolveJob, { body: { ...typed, environment: 'live' } })).status).toBe(403)
  })

  it('a reader who operates live runs there, and nowhere else', async () => {
    const call = await who('reader', 'operator')
    expect((await call(routes.startRun, { body: { plan: await planIn('live') } })).status).toBe(200)
    expect((await call(routes.startRun, { body: { plan: await planIn('dev') } })).status).toBe(403)
    expect((await call(routes.saveJob, { params: { name: 'words' }, body: { text } })).status).toBe(403)
  })

  it('a token does no more than it is for', async () => {
    const call = await who('keeper', 'keeper', 'look')
    expect((await call(routes.startRun, { body: { plan: await planIn('dev') } })).status).toBe(403)
    expect((await call(routes.people, {})).status).toBe(403)
    expect(
      (await call(routes.makeToken, { body: { name: 'more', atMost: 'house', days: null } })).status,
    ).toBe(403)
    expect((await call(routes.jobs, {})).status).toBe(200)
  })
})

describe('rows that who may only look sees', () => {
  const environment = 'dev'
  const first = (role: Role, path: string) =>
    server[role].fetch(addressOf(routes.firstRows, { name: 'warehouse' }, { environment, path })).then(async (response) => ({ status: response.status, text: await response.text() })) // prettier-ignore
  const queryJob = (name: string, text: string) => `
mattock: job/1
name: ${name}
title: ${name}
parts:
  - each: {roster: {query: {on: warehouse, text: '${text}'}}}
    do:
      - {id: say, log: {text: '{row.secret}'}}
`
  let open = 0
  let closed = 0
  beforeAll(async () => {
    for (const name of ['open', 'closed', 'unknown'])
      await server.rows(`create table public.${name} as select 'word of ${name}' as secret`)
    const dataset = async (name: string) =>
      Number(
        (
          await server.own(
            `insert into mattock.dataset (environment, connection, locator, start, kind, name, columns, surveyed_at)
             values ('dev', 'warehouse', $1, $1, 'table', $2, '[{"name":"secret","type":"text"}]', now()) returning id`,
            [`public.${name}`, name],
          )
        )[0]!.id,
      )
    open = await dataset('open')
    closed = await dataset('closed')
    await server.engineer.call(routes.editDataset, { params: { id: closed }, body: { closed: true } })
  })

  it('are those of the catalog, and of nothing that is closed; by no other road either', async () => {
    expect(await first('reader', 'public.open')).toMatchObject({ status: 200, text: expect.stringContaining('word of open') as string }) // prettier-ignore
    for (const name of ['closed', 'unknown']) {
      expect([name, (await first('reader', `public.${name}`)).status]).toEqual([name, 403])
      expect((await first('operator', `public.${name}`)).text).toContain(`word of ${name}`)
    }
    const rows = (id: number) => server.reader.fetch(addressOf(routes.datasetRows, { id }, { limit: 5 }))
    expect((await rows(open)).status).toBe(200)
    expect((await rows(closed)).status).toBe(403)
    for (const [name, table, status] of [['of-open', 'public.open', 200], ['of-closed', 'public.closed', 403], ['of-unknown', 'public.unknown', 403], ['of-system', 'pg_catalog.pg_authid', 403]] as const) {
      const text = queryJob(name, table.startsWith('pg') ? `select rolpassword as secret from ${table}` : `select secret from ${table}`)
      await saveJob(server.engine, text, { by: 'test' })
      const { id } = await makePlan(server.engine, { job: name, environment, parameters: {}, by: 'test' })
      const answers = await Promise.all([
        server.reader.fetch(routes.previewRoster.path, { method: 'POST', body: JSON.stringify({ text, environment, part: 0 }) }),
        server.reader.fetch(routes.resolveJob.path, { method: 'POST', body: JSON.stringify({ text, environment, part: 0 }) }),
        server.reader.fetch(routes.makePlan.path, { method: 'POST', body: JSON.stringify({ job: name, environment, parameters: {} }) }),
        server.reader.fetch(addressOf(routes.plan, { id })),
        server.reader.fetch(addressOf(routes.planLoads, { id })),
        server.reader.fetch(addressOf(routes.planDocument, { id })),
        server.reader.fetch(addressOf(routes.planFile, { id }, { as: 'csv' })),
      ]) // prettier-ignore
      expect([name, answers.map((answer) => answer.status)]).toEqual([name, Array(7).fill(status)])
      const said = (await Promise.all(answers.map((answer) => answer.text()))).join('')
      if (status === 403) expect(said).not.toMatch(/word of|SCRAM/)
    }
  }) // prettier-ignore

  it('are not in findings about values of files', async () => {
    server.writeFile('odd.csv', 'v\n1\nword of closed\n')
    await server.rows('create table public.odd (v integer)')
    await saveJob(server.engine, fileJob('odd', 'odd.csv', '{connection: warehouse, table: public.odd, write: append}', 'types: {v: integer}\nrejects: keep'), { by: 'test' }) // prettier-ignore
    const { id } = await makePlan(server.engine, { job: 'odd', environment, parameters: {}, by: 'test' })
    const said = async (role: Role) =>
      await Promise.all(
        [addressOf(routes.plan, { id }), addressOf(routes.planLoad, { id, number: 0 }), addressOf(routes.planDocument, { id }), addressOf(routes.planFile, { id }, { as: 'sarif' })].map(
          async (path) => await (await server[role].fetch(path)).text(),
        ),
      ) // prettier-ignore
    for (const text of await said('operator')) expect(text).toContain('word of closed')
    for (const text of await said('reader')) {
      expect(text).not.toContain('word of closed')
      expect(text).toContain('who may run jobs here sees which')
    }
  })

  it('are not in what a load was done with', async () => {
    await server.worker()
    const text = `
mattock: job/1
name: with-values
title: With values
parts:
  - each: {roster: {rows: [{word: 'word of closed'}]}}
    do:
      - {id: say, sql: {on: warehouse, text: 'select {row.word}'}}
`
    const run = await server.load(text)
    const { loads } = await server.reader.call(routes.runLoads, { params: { id: run } })
    const load = { params: { id: run, load: loads[0]!.id } }
    expect((await server.operator.call(routes.runLoad, load)).row).toEqual({ word: 'word of closed' })
    const seen = await server.reader.call(routes.runLoad, load)
    expect(seen.row).toBe(null)
    expect(seen.detail[0]!.statements.every(({ values }) => values === undefined)).toBe(true)
  })

  it('are never of what the server keeps about itself, for nobody', async () => {
    for (const path of [
      'pg_catalog.pg_authid',
      'pg_catalog.pg_shadow',
      'information_schema.columns',
      'pg_toast.x',
    ])
      for (const role of ['reader', 'keeper'] as const)
        expect([path, role, (await first(role, path)).status]).toEqual([
          path,
          role,
          role === 'reader' ? 403 : 400,
        ])
  })
})
