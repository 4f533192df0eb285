import { dropAnswer, keepAnswer } from '../../engine/arrivals/answers'
import type { Handlers } from '../handler'
import { plannerOf } from '../planner'

export const arrivalHandlers: Pick<Handlers, 'arrivals' | 'answerArrival' | 'dropArrivalAnswer'> = {
  arrivals: async (asked, { query }) => (await plannerOf(asked, 'readArrivals', query)) as never,
  answerArrival: async ({ engine, account }, { body }) => {
    await keepAnswer(engine, { ...body, by: account.name })
    return {}
  },
  dropArrivalAnswer: async ({ engine }, { body }) => {
    await dropAnswer(engine, body)
    return {}
  },
}
