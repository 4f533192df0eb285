import { request as plainRequest } from 'node:http'
import { afterAll, beforeAll, describe, expect, it } from 'vitest'
import { addressOf } from '../../contract/route'
import { plainRoutes } from '../../contract/plain'
import { routes } from '../../contract/routes'
import { passwordOf, testServer, type TestServer } from '../../tests/support/server'
import { idleHours } from '../auth'

let server: TestServer
beforeAll(async () => {
  server = await testServer()
})
afterAll(() => server.close())

/** Signs in as a browser does; gives its cookie. */
async function signIn(agent = 'a browser'): Promise<string> {
  const response = await fetch(`${server.address}${routes.signIn.path}`, {
    method: 'POST',
    headers: { 'content-type': 'application/json', 'x-mattock': '1', 'user-agent': agent },
    body: JSON.stringify({ email: 'reader@test.example', password: passwordOf('reader') }),
  })
  return response.headers.get('set-cookie')!.split(';')[0]!
}
const by = (cookie: string, path: string, init: RequestInit = {}) =>
  fetch(`${server.address}${path}`, {
    ...init,
    headers: { 'x-mattock': '1', 'content-type': 'application/json', cookie, ...init.headers },
  })
const addressParts = () => ({ hostname: '127.0.0.1', port: new URL(server.address).port })
interface SignIn {
  handle: string
  agent: string
  own: boolean
}

describe('sign-ins', () => {
  it('are seen by whom they are of, and ended one by one', async () => {
    const [here, there] = [await signIn('the desk'), await signIn('the train')]
    const list = (await (await by(here, routes.signIns.path)).json()) as SignIn[]
    expect(list.map(({ agent, own }) => [agent, own])).toEqual(
      expect.arrayContaining([
        ['the desk', true],
        ['the train', false],
      ]),
    )
    const { handle } = list.find(({ agent }) => agent === 'the train')!
    const end = () => by(here, addressOf(routes.endSignIn, { handle }), { method: 'DELETE' })
    expect((await end()).status).toBe(200)
    expect((await by(there, '/api/jobs')).status).toBe(401)
    expect((await by(here, '/api/jobs')).status).toBe(200)
    expect((await end()).status).toBe(404)
    // another's is not theirs to end
    const other = await server.keeper.fault(routes.endSignIn, { params: { handle: list[0]!.handle } })
    expect(other.status).toBe(404)
  })

  it('end where they are not used for long, and in any case after their time', async () => {
    for (const column of [
      `seen_at = now() - interval '${idleHours + 1} hours'`,
      `expires_at = now() - interval '1 s'`,
    ]) {
      const cookie = await signIn()
      expect((await by(cookie, '/api/jobs')).status).toBe(200)
      await server.own(`update mattock.session set ${column} where agent <> 'test'`)
      expect((await by(cookie, '/api/jobs')).status).toBe(401)
    }
  })

  it('take their streams with them', async () => {
    const [cookie, other] = [await signIn(), await signIn()]
    const stream = await by(cookie, plainRoutes.events.path)
    const reader = stream.body!.getReader()
    await reader.read()
    await by(other, routes.signOut.path, { method: 'DELETE' })
    const ended = (async () => {
      for (;;) if ((await reader.read()).done) return 'ended'
    })()
    const still = new Promise((resolve) => setTimeout(() => resolve('open'), 300))
    expect(await Promise.race([ended, still])).toBe('open')
    await by(cookie, routes.signOut.path, { method: 'DELETE' })
    expect(await ended).toBe('ended')
  })
})

describe('tokens', () => {
  it('are told once, do what they are for, end, and are taken back', async () => {
    const made = await server.engineer.call(routes.makeToken, {
      body: { name: 'nightly', atMost: 'run', days: 30 },
    })
    const use = () =>
      fetch(`${server.address}/api/jobs`, { headers: { authorization: `Bearer ${made.token}` } })
    expect((await use()).status).toBe(200)
    const [first] = (await server.engineer.call(routes.tokens)).filter(({ name }) => name === 'nightly')
    expect(first).toMatchObject({ atMost: 'run', usedAt: expect.any(String) as string })
    expect(new Date(first!.expiresAt!).getTime()).toBeGreaterThan(Date.now() + 29 * 86_400_000)
    expect(JSON.stringify(first)).not.toContain(made.token.slice(4))
    await server.own(
      `update mattock.api_token set expires_at = now() - interval '1 s' where name = 'nightly'`,
    )
    expect((await use()).status).toBe(401)
    await server.engineer.call(routes.takeToken, { params: { handle: first!.handle } })
    expect((await server.engineer.call(routes.tokens)).some(({ name }) => name === 'nightly')).toBe(false)
  })

  it('make none, invite and remove nobody, and end no sign-in', async () => {
    const { token } = await server.keeper.call(routes.makeToken, { body: { name: 'all', atMost: 'house', days: 1 } }) // prettier-ignore
    const before = await server.own('select (select count(*)::int from mattock.api_token) as tokens, (select count(*)::int from mattock.account) as people, (select count(*)::int from mattock.session) as sessions, (select count(*)::int from mattock.invitation) as invitations') // prettier-ignore
    const [sign] = await server.keeper.call(routes.signIns)
    const tries = [
      [routes.makeToken, {}, { name: 'more', atMost: 'look', days: 1 }],
      [routes.invitePerson, {}, { role: 'keeper' }],
      [routes.endSignIn, { handle: sign?.handle ?? 'x' }, {}],
      [routes.removePerson, { id: 1 }, {}],
      [routes.changePerson, { id: 1 }, { role: 'keeper', environments: {} }],
    ] as const
    for (const [route, params, body] of tries) {
      const response = await fetch(`${server.address}${addressOf(route, params as never)}`, { method: route.method.toUpperCase(), headers: { 'content-type': 'application/json', authorization: `Bearer ${token}` }, body: JSON.stringify(body) }) // prettier-ignore
      expect([route.path, response.status, await response.json()]).toEqual([route.path, 403, { error: { code: 'forbidden', message: 'a token may not do this; sign in with your password', where: {} } }]) // prettier-ignore
    }
    expect(await server.own('select (select count(*)::int from mattock.api_token) as tokens, (select count(*)::int from mattock.account) as people, (select count(*)::int from mattock.session) as sessions, (select count(*)::int from mattock.invitation) as invitations')).toEqual(before) // prettier-ignore
  })

  it('end with the right that they were made with, and do not come back with it', async () => {
    const people = await server.keeper.call(routes.people)
    const { id } = people.find(({ name }) => name === 'the engineer')!
    for (const atMost of ['look', 'run', 'build'] as const)
      await server.engineer.call(routes.makeToken, { body: { name: `for ${atMost}`, atMost, days: null } })
    const own = async () => (await server.own(`select name from mattock.api_token where account_id = $1 and name like 'for %' order by 1`, [id])).map(({ name }) => name) // prettier-ignore
    await server.keeper.call(routes.changePerson, { params: { id }, body: { role: 'reader', environments: { dev: 'operator' } } }) // prettier-ignore
    expect(await own()).toEqual(['for look', 'for run'])
    await server.keeper.call(routes.changePerson, {
      params: { id },
      body: { role: 'engineer', environments: {} },
    })
    expect(await own()).toEqual(['for look', 'for run'])
  })

  it('are for no more than who makes them may', async () => {
    expect(await server.operator.fault(routes.makeToken, { body: { name: 'x', atMost: 'build', days: null } })).toMatchObject({ status: 403 }) // prettier-ignore
  })
})

describe('people', () => {
  it('are changed and removed by a keeper, and one keeper stays', async () => {
    const people = await server.keeper.call(routes.people)
    const of = (name: string) => people.find((one) => one.name === name)!
    expect(of('the keeper')).toMatchObject({ role: 'keeper', own: true })
    const alone = await server.keeper.fault(routes.changePerson, { params: { id: of('the keeper').id }, body: { role: 'reader', environments: {} } }) // prettier-ignore
    expect(alone).toMatchObject({ status: 409, message: 'one account that runs the house must stay' })
    expect(await server.keeper.fault(routes.removePerson, { params: { id: of('the keeper').id } })).toMatchObject({ status: 409 }) // prettier-ignore
    expect(await server.keeper.fault(routes.changePerson, { params: { id: of('the operator').id }, body: { role: 'reader', environments: { moon: 'keeper' } } })).toMatchObject({ status: 404 }) // prettier-ignore
    await server.keeper.call(routes.changePerson, { params: { id: of('the operator').id }, body: { role: 'reader', environments: { dev: 'operator' } } }) // prettier-ignore
    expect((await server.keeper.call(routes.people)).find(({ name }) => name === 'the operator')).toMatchObject({ role: 'reader', environments: { dev: 'operator' } }) // prettier-ignore
    await server.keeper.call(routes.removePerson, { params: { id: of('the operator').id } })
    expect((await server.operator.fetch('/api/jobs')).status).toBe(401)
  })

  it('come by an address that holds once, as what they were asked to be', async () => {
    const { code } = await server.keeper.call(routes.invitePerson, { body: { role: 'operator' } })
    const body = { code, email: 'new@test.example', name: 'New', password: 'ten letters and more' }
    expect((await server.nobody.call(routes.invitation, { body })).account).toMatchObject({
      role: 'operator',
    })
    expect(await server.nobody.fault(routes.invitation, { body: { ...body, email: 'n2@test.example' } })).toMatchObject({ status: 410 }) // prettier-ignore
  })
})

describe('an address', () => {
  it.each(['/API/session', '/Api/people/invitations', '/api/session/', '/api//session', '//api/session', '/%61pi/session', '/api/Session', '/./api/session'])('spelled %s is none', async (path) => {
    for (const method of ['GET', 'POST', 'DELETE']) {
      // fetch would put some of them right
      const status = await new Promise((resolve, reject) => {
        const asked = plainRequest({ ...addressParts(), path, method, headers: { host: new URL(server.address).host } }, (response) => { response.resume(); resolve(response.statusCode) })
        asked.on('error', reject)
        asked.end()
      })
      expect([path, method, status]).toEqual([path, method, 404])
    }
  }) // prettier-ignore

  it('has a counter of its own where one could guess', async () => {
    const post = (path: string, body: object) => fetch(`${server.address}${path}`, { method: 'POST', headers: { 'content-type': 'application/json', 'x-mattock': '1' }, body: JSON.stringify(body) }) // prettier-ignore
    for (let i = 0; i < 11; i++) await post('/api/calls/dev/nothing/at-all', {})
    expect((await post('/api/calls/dev/nothing/at-all', {})).status).toBe(429)
    expect((await post(routes.signIn.path, { email: 'reader@test.example', password: 'wrong' })).status).toBe(
      401,
    )
    for (let i = 0; i < 11; i++) await post(routes.invitation.path, { code: 'x', email: 'a@b.example', name: 'x', password: 'ten letters' }) // prettier-ignore
    expect((await post(routes.signIn.path, { email: 'reader@test.example', password: passwordOf('reader') })).status).toBe(200) // prettier-ignore
  })
})

describe('a cookie', () => {
  it('is of one port: another server of this machine signs nobody out', async () => {
    const cookie = await signIn()
    const { port } = new URL(server.address)
    expect(cookie).toContain(`mattock_session_${port}=`)
    const other = cookie.replace(port, String(Number(port) + 1))
    expect((await by(`${other.replace(/=.*/, '=other')}; ${cookie}`, '/api/jobs')).status).toBe(200)
    expect((await by(other, '/api/jobs')).status).toBe(401)
  })
})

describe('a request', () => {
  it('of a foreign site is not let in by a header beside the cookie', async () => {
    const cookie = await signIn()
    const body = JSON.stringify({ environment: 'live' })
    for (const authorization of ['Basic eDp5', 'Bearer', 'bearer x', 'Digest x', 'Bearer  '])
      expect([authorization, (await by(cookie, routes.keepForMe.path, { method: 'PUT', body, headers: { authorization, 'x-mattock': '', origin: 'https://elsewhere.example' } })).status]).toEqual([authorization, 403]) // prettier-ignore
    // a token that opens nothing does not fall back on the cookie
    expect((await by(cookie, '/api/jobs', { headers: { authorization: 'Bearer mtk_wrong' } })).status).toBe(
      401,
    )
  })

  it('under a name that is not ours is not answered', async () => {
    const at = new URL(server.address)
    const status = (host: string) =>
      new Promise((resolve, reject) => {
        plainRequest(
          { host: at.hostname, port: at.port, path: '/api/health', headers: { host } },
          (response) => {
            response.resume()
            resolve(response.statusCode)
          },
        )
          .on('error', reject)
          .end()
      })
    expect(await status(at.host)).toBe(200)
    expect(await status(`localhost:${at.port}`)).toBe(200)
    expect(await status('[::1]')).toBe(200)
    for (const host of [
      `elsewhere.example:${at.port}`,
      '127.0.0.1.elsewhere.example',
      'localhost.elsewhere.example',
      '10.0.0.1',
    ])
      expect([host, await status(host)]).toEqual([host, 421])
  })
})
