import type { Handlers } from '../handler'
import { plannerOf } from '../planner'

export const arrivalHandlers: Pick<Handlers, 'arrivals'> = {
  arrivals: async (asked, { query }) => (await plannerOf(asked, 'readArrivals', query)) as never,
}
