import useSWR from 'swr'
import { healthSchema, type Health } from '../../contract/health'
import { plainRoutes } from '../../contract/plain'

/** Milliseconds between two looks. */
const lookEvery = 4000

/** How Mattock is; `gone` since when it does not even answer (ISO 8601 instant). */
export function useHealth(): { readonly health: Health | undefined; readonly gone: string | undefined } {
  const { data } = useSWR<{ health?: Health; gone?: string }>(
    plainRoutes.health.path,
    async () => {
      try {
        const answer = await fetch(plainRoutes.health.path)
        const { data: health } = healthSchema.safeParse(await answer.json())
        return health ? { health } : {}
      } catch {
        return { gone: new Date().toISOString() }
      }
    },
    {
      refreshInterval: lookEvery,
      // the first moment it was gone is the one that counts
      compare: (a, b) =>
        (a?.gone !== undefined && b?.gone !== undefined) || JSON.stringify(a) === JSON.stringify(b),
    },
  )
  return { health: data?.health, gone: data?.gone }
}
