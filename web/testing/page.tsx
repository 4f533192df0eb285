import { ThemeProvider } from '@mui/material/styles'
import { act, cleanup, render } from '@testing-library/react'
import userEvent, { PointerEventsCheckLevel, type UserEvent } from '@testing-library/user-event'
import type { ReactElement } from 'react'
import { createMemoryRouter, RouterProvider } from 'react-router'
import { SWRConfig } from 'swr'
import { vi } from 'vitest'
import { z } from 'zod'
import type { Answer, Route } from '../../contract/route'
import { routes, type Routes } from '../../contract/routes'
import type { Role } from '../../core/rights'
import type { FaultCode } from '../../core/faultCodes'
import { faultCodes } from '../../core/faultCodes'
import { HereContext, type Here, type Session } from '../data/session'
import { Undrawn } from '../frame/Undrawn'
import { Notices } from '../kit/Notice'
import { makeTheme } from '../look/theme'

/** What was asked of the server, in order. */
export interface Asked {
  readonly route: keyof Routes
  readonly params: Record<string, string>
  readonly query: Record<string, string>
  readonly body: unknown
}

type Given = Omit<Asked, 'route'>
/** What the server says to a route: an answer, one that depends on what is asked, or a fault. */
export type Answers = {
  [K in keyof Routes]?: Answer<Routes[K]> | ((given: Given) => Answer<Routes[K]> | Said)
}

/** A fault, or an answer that never comes. */
export class Said extends Error {
  constructor(
    readonly code: FaultCode | 'never',
    message = '',
    readonly where: Record<string, unknown> = {},
  ) {
    super(message)
  }
}
export const fault =
  (code: FaultCode, message: string, where: Record<string, unknown> = {}) =>
  (): Said =>
    new Said(code, message, where)
export const never = (): Said => new Said('never')

const session = (role: Role, environments: Readonly<Record<string, Role>>): Session => ({
  account: { email: 'ana@test.example', name: 'Ana', role, environments: { ...environments } },
  environments: [
    { name: 'dev', live: false },
    { name: 'live', live: true },
  ],
  start: 'dev',
  tables: {},
  organisation: 'Test',
  demo: [],
})

export interface Page {
  readonly asked: Asked[]
  /** Bodies of what was asked of a route. */
  bodies(route: keyof Routes): unknown[]
  readonly user: UserEvent
  /** Where the page is now. */
  address(): string
  readonly text: () => string
  /** Goes elsewhere, as a link does. */
  go(path: string): void
}

interface Options {
  readonly answers?: Answers
  readonly role?: Role
  readonly environment?: string
  /** What the account is in single environments, where that is something else. */
  readonly elsewhere?: Readonly<Record<string, Role>>
  /** Where the page stands, and its address there. */
  readonly at?: string
  readonly path?: string
  /** It stands before all pages, without a router, as signing in does. */
  readonly before?: boolean
}

/** Shows a page as the application does, with a server that says what the test gives it; answers that break the contract are a fault of the test. */
export function show(element: ReactElement, options: Options = {}): Page {
  // a test may show several, one after the other
  cleanup()
  const { answers = {}, role = 'keeper', environment = 'dev', at = '/', path = at, before = false } = options
  const asked: Asked[] = []
  vi.stubGlobal('fetch', (address: string, init: RequestInit = {}) => reply(answers, asked, address, init))
  const router = createMemoryRouter(
    [
      { path, element, errorElement: <Undrawn /> },
      { path: '*', element: <p>another page</p> },
    ],
    { initialEntries: [at] },
  )
  const here: Here = {
    session: session(role, options.elsewhere ?? {}),
    environment,
    live: environment === 'live',
    setEnvironment: () => {},
    night: false,
    setNight: () => {},
    signOut: () => {},
  }
  render(
    <ThemeProvider theme={makeTheme('light')}>
      <SWRConfig value={{ provider: () => new Map(), dedupingInterval: 0, shouldRetryOnError: false }}>
        <Notices>
          <HereContext.Provider value={here}>
            {before ? element : <RouterProvider router={router} />}
          </HereContext.Provider>
        </Notices>
      </SWRConfig>
    </ThemeProvider>,
  )
  return {
    asked,
    bodies: (route) => asked.filter((one) => one.route === route).map(({ body }) => body),
    user: settled(userEvent.setup({ delay: null, pointerEventsCheck: PointerEventsCheckLevel.Never })),
    address: () => `${router.state.location.pathname}${router.state.location.search}`,
    text: () => document.body.textContent ?? '',
    go: (path) => act(() => void router.navigate(path)),
  }
}

/** Answers that are on their way. */
let underway = 0

/** A user who looks, after each act, until the page has what it asked for. */
function settled(user: UserEvent): UserEvent {
  const own = new Map<PropertyKey, unknown>()
  return new Proxy(user, {
    get(target, key) {
      const method: unknown = Reflect.get(target, key)
      if (typeof method !== 'function') return method
      const kept =
        own.get(key) ?? ((...given: unknown[]) => actThenSettle(() => Reflect.apply(method, target, given)))
      own.set(key, kept)
      return kept
    },
  })
}

async function actThenSettle(work: () => unknown): Promise<unknown> {
  const done: unknown = await work()
  await act(async () => {
    do await new Promise((tick) => setTimeout(tick, 0))
    while (underway > 0)
  })
  return done
}

/** What was asked or answered otherwise than the contract says, or not answered at all: each fails its test. */
export const breaches: string[] = []

async function reply(
  answers: Answers,
  asked: Asked[],
  address: string,
  init: RequestInit,
): Promise<Response> {
  let answer: Response | undefined
  try {
    underway++
    answer = await replyTo(answers, asked, address, init)
  } catch (error) {
    const words = error instanceof z.ZodError ? z.prettifyError(error) : (error as Error).message
    breaches.push(`${init.method} ${address}: ${words}`)
    throw error
  } finally {
    underway--
  }
  return answer ?? new Promise(() => {})
}

/** Undefined where the answer never comes. */
async function replyTo(
  answers: Answers,
  asked: Asked[],
  address: string,
  init: RequestInit,
): Promise<Response | undefined> {
  const { pathname, searchParams } = new URL(address, 'http://test')
  const [key, params] = routeAt(init.method ?? 'GET', pathname)
  const route: Route = routes[key]
  const given = {
    params,
    query: Object.fromEntries(searchParams),
    body: init.body === undefined ? undefined : (JSON.parse(String(init.body)) as unknown),
  }
  // what the page asks has to be what the contract takes
  route.query.parse(given.query)
  route.body.parse(given.body ?? {})
  asked.push({ route: key, ...given })
  const own = answers[key] as unknown
  const answer: unknown =
    typeof own === 'function' ? (own as (of: Given) => unknown)(given) : (own ?? usual[key])
  if (answer instanceof Said) {
    if (answer.code === 'never') return undefined
    const { code, message, where } = answer
    return Response.json({ error: { code, message, where } }, { status: faultCodes[code] })
  }
  if (answer === undefined) throw new Error(`the test has no answer for ${key}`)
  return Response.json(route.response.parse(answer))
}

/** What most pages ask beside what they are about. */
const usual: Partial<Record<keyof Routes, unknown>> = { keepForMe: {}, jobs: [] }

function routeAt(method: string, path: string): [keyof Routes, Record<string, string>] {
  const found = (Object.keys(routes) as (keyof Routes)[]).flatMap((key) => {
    const route: Route = routes[key]
    const names = [...route.path.matchAll(/:(\w+)/g)].map(([, name]) => name!)
    const match = new RegExp(`^${route.path.replace(/:\w+/g, '([^/]+)')}$`).exec(path)
    if (!match || route.method !== method.toLowerCase()) return []
    const params = Object.fromEntries(names.map((name, i) => [name, decodeURIComponent(match[i + 1]!)]))
    return [[key, params, names.length] as const]
  })
  // `/api/jobs/check` before `/api/jobs/:name`
  const [best] = found.sort((a, b) => a[2] - b[2])
  if (!best) throw new Error(`no route is ${method} ${path}`)
  return [best[0], best[1]]
}
