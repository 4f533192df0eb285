import useSWR, { useSWRConfig, type SWRConfiguration, type SWRResponse } from 'swr'
import {
  addressOf,
  errorSchema,
  type Answer,
  type Body,
  type Params,
  type Query,
  type Route,
} from '../../contract/route'
import type { Fault } from '../../core/fault'

/** The server could not do what was asked. */
export class ApiFault extends Error {
  constructor(
    readonly fault: Fault,
    readonly faults: readonly Fault[],
    readonly status: number,
  ) {
    super(fault.message)
  }
}

interface Given<T> {
  params?: Params<T>
  query?: Query<T>
  body?: Body<T>
}

/** Milliseconds after which what the server was too busy for is asked again. */
const again = [1000, 2000, 4000]

/** Calls a route, again where the server was too busy to begin. @throws ApiFault */
export async function call<T extends Route>(route: T, given: Given<T> = {}): Promise<Answer<T>> {
  for (let attempt = 0; ; attempt++) {
    try {
      return await callOnce(route, given)
    } catch (error) {
      const pause = again[attempt]
      if (pause === undefined || !(error instanceof ApiFault) || error.fault.code !== 'busy') throw error
      await new Promise((resolve) => setTimeout(resolve, pause))
    }
  }
}

async function callOnce<T extends Route>(route: T, given: Given<T>): Promise<Answer<T>> {
  const address = addressOf(
    route,
    given.params as Record<string, unknown>,
    given.query as Record<string, unknown>,
  )
  let response: Response
  try {
    response = await fetch(address, {
      method: route.method.toUpperCase(),
      headers: {
        'x-mattock': '1',
        ...(given.body === undefined ? {} : { 'content-type': 'application/json' }),
      },
      ...(given.body === undefined ? {} : { body: JSON.stringify(given.body) }),
    })
  } catch {
    throw new ApiFault(
      { code: 'no-answer', message: 'Mattock does not answer; it tries again by itself', where: {} },
      [],
      0,
    )
  }
  const answer: unknown = await response.json().catch(() => ({}))
  if (response.ok) return answer as Answer<T>
  const read = errorSchema.safeParse(answer)
  const fault = (
    read.success
      ? read.data.error
      : { code: 'internal', message: `the server answered ${response.status}`, where: {} }
  ) as Fault
  throw new ApiFault(fault, (read.data?.faults ?? []) as Fault[], response.status)
}

/** What a route gives, kept fresh; null for `given` waits. */
export function useAnswer<T extends Route>(
  route: T,
  given: Pick<Given<T>, 'params' | 'query'> | null,
  config: SWRConfiguration = {},
): SWRResponse<Answer<T>, ApiFault> {
  const key =
    given && addressOf(route, given.params as Record<string, unknown>, given.query as Record<string, unknown>)
  const answer = useSWR<Answer<T>, ApiFault>(key, () => call(route, given ?? {}), {
    keepPreviousData: false,
    ...config,
  })
  const { cache } = useSWRConfig()
  // what was kept of another question is no answer to one that failed
  const isOthers =
    config.keepPreviousData && key !== null && answer.error && cache.get(key)?.data === undefined
  return isOthers ? { ...answer, data: undefined } : answer
}
