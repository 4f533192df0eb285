import { once } from 'node:events'
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
}

/** The API of the Mattock that runs over a data folder, or of MATTOCK_URL with MATTOCK_TOKEN. */
export function openApi(data: string): Api {
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
  const ask = async (
    route: Route,
    given: { params?: unknown; query?: unknown; body?: unknown },
  ): Promise<Response> => {
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
    const { error } = errorSchema.parse(await response.json())
    throw new ApiError(error.message, error.code)
  }
  return {
    call: async (route, given = {}) => (await (await ask(route, given)).json()) as never,
    pipe: async (route, given, into) => {
      const { body } = await ask(route, given)
      for await (const piece of Readable.fromWeb(body as never) as AsyncIterable<Uint8Array>)
        if (!into.write(piece)) await once(into, 'drain')
      into.write('\n')
    },
  }
}
