import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { routes } from '../../contract/routes'
import { passwordOf, testServer, type TestServer } from '../../tests/support/server'
import { checkPassword } from '../auth'
import { hasPeople, invite } from '../invitation'

let server: TestServer
beforeAll(async () => void (server = await testServer()))
afterAll(() => server.close())

const person = { email: 'Ana@Test.example ', name: 'Ana', password: 'ten letters and more' }

/** Signs in as a browser does, and returns the cookie. */
async function signIn(email: string, password: string): Promise<{ status: number; cookie: string }> {
  const response = await server.nobody.fetch('/api/session', {
    method: 'POST',
    body: JSON.stringify({ email, password }),
  })
  return { status: response.status, cookie: response.headers.get('set-cookie') ?? '' }
}

describe('signing in', () => {
  it('gives a cookie that no script and no other site can use (RFC 6265)', async () => {
    const { status, cookie } = await signIn('engineer@test.example', passwordOf('engineer'))
    expect(status).toBe(200)
    expect(cookie).toMatch(/HttpOnly/)
    expect(cookie).toMatch(/SameSite=Strict/)
    const session = await (
      await server.nobody.fetch('/api/session', { headers: { cookie: cookie.split(';')[0]! } })
    ).json()
    expect(session).toMatchObject({
      account: { email: 'engineer@test.example', role: 'engineer' },
      start: 'dev',
    })
  })

  it('takes the address in whatever letters, and says the same of a wrong address as of a wrong password', async () => {
    expect((await signIn(' ENGINEER@test.example', passwordOf('engineer'))).status).toBe(200)
    const wrong = (email: string) => server.nobody.fault(routes.signIn, { body: { email, password: 'x' } })
    const [known, unknown] = [await wrong('engineer@test.example'), await wrong('nobody@test.example')]
    expect(known).toEqual(unknown)
    expect(known).toMatchObject({ status: 401, code: 'signed-out' })
  })

  it('ends with signing out: the cookie holds no more', async () => {
    const { cookie } = await signIn('reader@test.example', passwordOf('reader'))
    const headers = { cookie: cookie.split(';')[0]! }
    await server.nobody.fetch('/api/session', { method: 'DELETE', headers })
    const after = (await (await server.nobody.fetch('/api/session', { headers })).json()) as {
      account: unknown
    }
    expect(after.account).toBeNull()
  })

  it('keeps where a person looked, and how they set up a table, and two pages at once lose neither', async () => {
    const settings = { widths: { name: 120 }, hidden: ['rows'], sort: [] }
    await Promise.all([
      server.reader.call(routes.keepForMe, { body: { environment: 'live' } }),
      server.reader.call(routes.keepForMe, { body: { table: { name: 'runs', settings } as never } }),
      server.reader.call(routes.keepForMe, { body: { table: { name: 'loads', settings } as never } }),
    ])
    const session = await server.reader.call(routes.session)
    expect(session.start).toBe('live')
    expect(Object.keys(session.tables).sort()).toEqual(['loads', 'runs'])
  })
})

describe('rights', () => {
  it('hold at every door: nobody is let in who is not signed in, and a reader changes nothing', async () => {
    expect(await server.nobody.fault(routes.jobs)).toMatchObject({ status: 401, code: 'signed-out' })
    const body = { name: 'x', kind: 'files', title: 'X', cap: null } as const
    expect(await server.reader.fault(routes.addConnection, { body })).toMatchObject({
      status: 403,
      code: 'forbidden',
    })
    expect(await server.reader.fault(routes.startRun, { body: { plan: 1 } })).toMatchObject({ status: 403 })
  })

  it('are asked for before anything is looked at: a reader does not learn what is there', async () => {
    const missing = await server.reader.fault(routes.removeConnection, { params: { name: 'no-such' } })
    expect(missing.code).toBe('forbidden')
  })

  it('refuse what a browser sends for another site', async () => {
    const { cookie } = await signIn('engineer@test.example', passwordOf('engineer'))
    const headers = { cookie: cookie.split(';')[0]!, 'x-mattock': '' }
    const post = (more: Record<string, string>) =>
      server.nobody.fetch('/api/session/kept', {
        method: 'PUT',
        body: '{}',
        headers: { ...headers, ...more },
      })
    expect((await post({})).status).toBe(403)
    expect((await post({ 'x-mattock': '1', origin: 'https://elsewhere.example' })).status).toBe(403)
    expect((await post({ 'x-mattock': '1', origin: 'no address' })).status).toBe(403)
    expect((await post({ 'x-mattock': '1', origin: server.address })).status).toBe(200)
  })
})

describe('the first account', () => {
  it('is made once at its address, by the first who comes', async () => {
    const code = await invite(server.engine)
    const tries = await Promise.all(
      [1, 2, 3].map((n) =>
        server.nobody.fetch('/api/invitation', {
          method: 'POST',
          body: JSON.stringify({ code, ...person, email: `first-${n}@test.example` }),
        }),
      ),
    )
    expect(tries.map(({ status }) => status).sort()).toEqual([200, 410, 410])
    expect(tries.find(({ status }) => status === 200)!.headers.get('set-cookie')).toMatch(
      /mattock_session_\d+=/,
    )
  })

  it('signs in afterwards with what was typed, the address in small letters', async () => {
    const code = await invite(server.engine)
    const session = await server.nobody.call(routes.invitation, {
      body: { code, ...person, email: 'Ana@Test.example' },
    })
    expect(session.account).toEqual({
      email: 'ana@test.example',
      name: 'Ana',
      role: 'keeper',
      environments: {},
    })
    expect((await signIn('ana@test.example', person.password)).status).toBe(200)
  })

  it('is refused for what is wrong with it, and the address holds still', async () => {
    const code = await invite(server.engine)
    const make = (more: object) =>
      server.nobody.fault(routes.invitation, { body: { code, ...person, email: 'b@test.example', ...more } })
    expect(await make({ password: 'short' })).toMatchObject({ status: 400, where: { path: 'password' } })
    expect(await make({ email: 'no address' })).toMatchObject({ status: 400, where: { path: 'email' } })
    expect(await make({ email: 'engineer@test.example' })).toMatchObject({ status: 409, code: 'conflict' })
    const { account } = await server.nobody.call(routes.invitation, {
      body: { code, ...person, email: 'b@test.example' },
    })
    expect(account?.email).toBe('b@test.example')
  })

  it('needs an address that was given: a newer one takes the place of an older, and none lasts for ever', async () => {
    const older = await invite(server.engine)
    const newer = await invite(server.engine)
    const make = (code: string) =>
      server.nobody.fault(routes.invitation, { body: { code, ...person, email: 'c@test.example' } })
    expect((await make('made up')).code).toBe('invitation')
    expect((await make(older)).code).toBe('invitation')
    await server.own(`update mattock.invitation set expires_at = now() - interval '1 second'`)
    expect((await make(newer)).code).toBe('invitation')
  })

  it('keeps the code as a hash only, and the command’s own account signs nobody in', async () => {
    const code = await invite(server.engine)
    expect(await server.own('select * from mattock.invitation where hash = $1', [code])).toEqual([])
    await server.own(
      `insert into mattock.account (email, name, role, password) values ('command@localhost', 'the command', 'engineer', 'none')`,
    )
    expect(await checkPassword(server.engine, 'command@localhost', 'none')).toBeUndefined()
    expect(await checkPassword(server.engine, 'command@localhost', '')).toBeUndefined()
    expect(await hasPeople(server.engine)).toBe(true)
  })
})

describe('guessing', () => {
  it('is slowed down: after ten that failed within a minute, no more are taken', async () => {
    const statuses = []
    for (let i = 0; i < 11; i++) statuses.push((await signIn('engineer@test.example', `guess ${i}`)).status)
    expect(statuses.at(-1)).toBe(429)
    expect((await signIn('engineer@test.example', passwordOf('engineer'))).status).toBe(429)
  })
})
