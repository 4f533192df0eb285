import type { InEnvironment, Needs, Route } from '../contract/route'
import { may } from '../core/rights'
import type { Engine } from '../engine/context/engine'
import type { Account } from './auth'

interface Given {
  readonly params: unknown
  readonly query: unknown
  readonly body: unknown
}

const tables: Readonly<Record<InEnvironment, string>> = {
  plan: 'mattock.plan',
  run: 'mattock.run',
  try: 'mattock.try',
  survey: 'mattock.survey',
  dataset: 'mattock.dataset',
  pause: 'mattock.pause',
}

/** The environment that a request says itself. */
export function environmentIn({ params, query, body }: Given): string | undefined {
  for (const part of [params, query, body]) {
    const { environment } = part as { environment?: unknown }
    if (typeof environment === 'string') return environment
  }
  return undefined
}

/** The environment in which a request is to do something; undefined where it lies in none. */
export async function environmentOf(
  engine: Engine,
  route: Pick<Route, 'of'>,
  given: Given,
): Promise<string | undefined> {
  if (!route.of) return environmentIn(given)
  const id = (given.params as { id?: number }).id ?? (given.body as Record<string, number>)[route.of]
  const { rows } = await engine.db.$client.query<{ environment: string }>(
    `select environment from ${tables[route.of]} where id = $1`,
    [id],
  )
  return rows[0]?.environment
}

/** Is there any environment in which they may? */
export const maySomewhere = (needs: Needs, account: Account | undefined): boolean =>
  account !== undefined &&
  needs !== 'nobody' &&
  Object.keys(account.environments).some((name) => may(account, needs, name))
