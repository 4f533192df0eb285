import { createServer } from 'node:http'
import type { AddressInfo } from 'node:net'
import { addressOf, errorSchema, type Answer, type Body, type Params, type Query, type Route } from '../../contract/route' // prettier-ignore
import type { Fault } from '../../core/fault'
import type { Role } from '../../core/rights'
import { randomBytes } from 'node:crypto'
import { account, session } from '../../database/schema'
import { makeHome } from '../../engine/context/engine'
import { openLog } from '../../engine/context/logger'
import { plannerAsks, type Planner } from '../../engine/planner/asks'
import { makeApp } from '../../server/app'
import { hashPassword, makeToken, sha256 } from '../../server/auth'
import type { ServerOptions } from '../../server/handler'
import { watchHealth } from '../../server/health'
import { testBench, type TestBench } from './bench'

interface Given<T> {
  readonly params?: Params<T>
  readonly query?: Query<T>
  readonly body?: Body<T>
}

/** Calls the API as one account. */
export interface Caller {
  /** What the route answers; an answer other than its schema says is a fault of the server. @throws where it is a fault */
  call<T extends Route>(route: T, given?: Given<T>): Promise<Answer<T>>
  /** The fault that the route answers, with its status. @throws where it is none */
  fault<T extends Route>(route: T, given?: Given<T>): Promise<Fault & { status: number; faults: Fault[] }>
  /** Any address, as it comes: by a token, or, `inPerson`, by a sign-in. */
  fetch(path: string, init?: RequestInit, inPerson?: boolean): Promise<Response>
}

/** A server over a bench of its own, every answer held to the contract; an engineer and a reader may call it. */
export interface TestServer extends TestBench {
  readonly address: string
  readonly keeper: Caller
  readonly engineer: Caller
  readonly operator: Caller
  readonly reader: Caller
  readonly nobody: Caller
}

export const passwordOf = (role: Role): string => `the ${role}’s own`

export async function testServer(more: Partial<ServerOptions> = {}): Promise<TestServer> {
  const bench = await testBench()
  const { engine } = bench
  makeHome(engine)
  const planner: Planner = {
    ask: (_asker, kind, ...given) =>
      (plannerAsks[kind] as (...all: unknown[]) => Promise<never>)(engine, ...given),
    close: () => {},
  }
  const health = watchHealth(engine)
  const app = makeApp(
    engine,
    { organisation: 'Test', demoAccounts: [], background: () => null, pages: '/nowhere', planner, health, checkAnswers: true, ...more },
    openLog('test server'),
  ) // prettier-ignore
  const server = createServer(app)
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  const address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`
  const tokenOf = async (role: Role) => {
    const [made] = await engine.db
      .insert(account)
      .values({
        email: `${role}@test.example`,
        name: `the ${role}`,
        role,
        password: await hashPassword(passwordOf(role)),
      }) // prettier-ignore
      .returning()
    const cookie = randomBytes(32).toString('base64url')
    await engine.db.insert(session).values({
      hash: sha256(cookie),
      accountId: made!.id,
      expiresAt: new Date(Date.now() + 86_400_000).toISOString(),
      agent: 'test',
    })
    return {
      token: await makeToken(engine, made!.id, 'test'),
      cookie: `mattock_session_${new URL(address).port}=${cookie}`,
    }
  }
  return {
    ...bench,
    address,
    keeper: caller(address, await tokenOf('keeper')),
    engineer: caller(address, await tokenOf('engineer')),
    operator: caller(address, await tokenOf('operator')),
    reader: caller(address, await tokenOf('reader')),
    nobody: caller(address, undefined),
    close: async () => {
      health.close()
      server.closeAllConnections()
      await new Promise((resolve) => server.close(resolve))
      await bench.close()
    },
  }
}

/** Comes by a token, and by a sign-in where a token may not. */
function caller(address: string, who: { token: string; cookie: string } | undefined): Caller {
  const plain = { 'content-type': 'application/json', 'x-mattock': '1' }
  const headers = { ...plain, ...(who ? { authorization: `Bearer ${who.token}` } : {}) }
  const ask = (route: Route, given: Given<Route>) =>
    fetch(`${address}${addressOf(route, given.params as Record<string, unknown>, given.query as Record<string, unknown>)}`, {
      method: route.method.toUpperCase(),
      headers: route.inPerson && who ? { ...plain, cookie: who.cookie } : headers,
      ...(given.body === undefined ? {} : { body: JSON.stringify(given.body) }),
    }) // prettier-ignore
  return {
    call: async (route, given = {}) => {
      const response = await ask(route, given as Given<Route>)
      const answer: unknown = await response.json()
      if (!response.ok) throw new Error(`${route.path} answers ${response.status}: ${JSON.stringify(answer)}`)
      return route.response.parse(answer) as never
    },
    fault: async (route, given = {}) => {
      const response = await ask(route, given as Given<Route>)
      const answer: unknown = await response.json()
      if (response.ok) throw new Error(`${route.path} is no fault: ${JSON.stringify(answer)}`)
      const { error, faults = [] } = errorSchema.parse(answer)
      return { ...error, status: response.status, faults } as never
    },
    fetch: (path, init = {}, inPerson = false) =>
      fetch(`${address}${path}`, {
        ...init,
        headers: { ...(inPerson && who ? { ...plain, cookie: who.cookie } : headers), ...init.headers },
      }),
  }
}
