import { once } from 'node:events'
import { setTimeout as wait } from 'node:timers/promises'
import { Readable } from 'node:stream'
import { existsSync, readFileSync } from 'node:fs'
import {
  addressOf,
  errorSchema,
  type Answer,
  type Body,
  type Params,
  type Query,
  type Route,
} from '../contract/route'
import { routes } from '../contract/routes'
import { running, tokenFile } from './state'

/** The server did not do what was asked; carries its fault's code. */
export class ApiError extends Error {
  constructor(
    message: string,
    readonly code: string,
  ) {
    super(message)
  }
}

interface Given {
  readonly params?: unknown
  readonly query?: unknown
  readonly body?: unknown
}

export interface Api {
  call<T extends Route>(
    route: T,
    given?: { params?: Params<T>; query?: Query<T>; body?: Body<T> },
  ): Promise<Answer<T>>
  /** Passes an answer on as it comes, with a line break at its end: it may be larger than the memory. */
  pipe<T extends Route>(
    route: T,
    given: { params?: Params<T>; query?: Query<T> },
    into: NodeJS.WritableStream,
  ): Promise<void>
  /** Does all of something again while a server that was there is away: it must look first at what is done already. */
  patiently<T>(work: () => Promise<T>): Promise<T>
}

/** Faults that may have passed when the same is asked a moment later. */
const passing = new Set(['no-answer', 'away', 'busy'])

/** Does something again, for `patience` seconds, while it meets faults that may pass and `may` be done twice. */
async function againWhilePassing<T>(
  work: () => Promise<T>,
  may: () => boolean,
  patience: number,
): Promise<T> {
  const end = Date.now() + patience * 1000
  for (let pause = 250; ; pause = Math.min(pause * 2, 4000)) {
    try {
      return await work()
    } catch (error) {
      const passes = error instanceof ApiError && passing.has(error.code) && may()
      if (!passes || Date.now() + pause > end) throw error
      if (pause === 250) process.stderr.write(`mattock: ${error.message}; it is asked again\n`)
      await wait(pause)
    }
  }
}

/** What does no harm when it is asked for twice because the first answer was lost. */
const harmless = (route: Route, body: unknown): boolean =>
  route.method === 'get' ||
  route === routes.makePlan ||
  // a press is taken once
  (typeof body === 'object' && body !== null && 'press' in body)

/**
 * The API of the Mattock that runs over a data folder, or of MATTOCK_URL with MATTOCK_TOKEN. While a server that was there is
 * away (it starts again, or its database does), what does no harm twice is asked for again for `patience` seconds.
 */
export function openApi(data: string, patience = 60): Api {
  const state = running(data)
  const url = process.env.MATTOCK_URL ?? state?.url
  if (!url)
    throw new ApiError(
      `nothing runs over ${data}; start it with ./mattock start, or set MATTOCK_URL and MATTOCK_TOKEN`,
      'not-running',
    )
  const token =
    process.env.MATTOCK_TOKEN ??
    (existsSync(tokenFile(data)) ? readFileSync(tokenFile(data), 'utf8').trim() : '')
  let wasThere = state !== undefined
  const ask = async <T>(route: Route, given: Given, read: (answer: Response) => Promise<T>): Promise<T> => {
    const once = async () => {
      const answer = await askOnce(route, given)
      wasThere = true
      return await read(answer)
    }
    return await againWhilePassing(once, () => wasThere && harmless(route, given.body), patience)
  }
  const askOnce = async (route: Route, given: Given): Promise<Response> => {
    const address = addressOf(
      route,
      given.params as Record<string, unknown>,
      given.query as Record<string, unknown>,
    )
    const response = await fetch(new URL(address, url), {
      method: route.method.toUpperCase(),
      headers: {
        authorization: `Bearer ${token}`,
        ...(given.body === undefined ? {} : { 'content-type': 'application/json' }),
      },
      ...(given.body === undefined ? {} : { body: JSON.stringify(given.body) }),
    }).catch((error: Error) => {
      throw new ApiError(
        `${url} does not answer: ${(error.cause as Error | undefined)?.message ?? error.message}`,
        'no-answer',
      )
    })
    if (response.ok) return response
    // a proxy before it answers in words of its own while the server is away
    const told = errorSchema.safeParse(await response.json().catch(() => undefined))
    if (!told.success) throw new ApiError(`${url} answers with status ${response.status}`, response.status >= 502 ? 'no-answer' : 'internal') // prettier-ignore
    const { error } = told.data
    throw new ApiError(error.message, error.code)
  }
  const brokenOff = (error: Error): never => {
    throw new ApiError(`${url} broke off its answer: ${error.message}`, 'no-answer')
  }
  return {
    patiently: (work) => againWhilePassing(work, () => wasThere, patience),
    call: async (route, given = {}) =>
      await ask(route, given, async (answer) => (await answer.json().catch(brokenOff)) as never),
    pipe: async (route, given, into) => {
      const { body } = await ask(route, given, (answer) => Promise.resolve(answer))
      for await (const piece of Readable.fromWeb(body as never) as AsyncIterable<Uint8Array>)
        if (!into.write(piece)) await once(into, 'drain')
      into.write('\n')
    },
  }
}
