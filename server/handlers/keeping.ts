import { amounts, askToTidy, keepFor, wouldGo } from '../../engine/keeping/keep'
import { sweptSoFar } from '../../engine/keeping/swept'
import type { Handlers } from '../handler'

export const keepingHandlers: Pick<Handlers, 'kept' | 'swept' | 'wouldGo' | 'keepFor' | 'tidy'> = {
  kept: ({ engine }) => amounts(engine),
  swept: ({ engine }) => sweptSoFar(engine),
  wouldGo: async ({ engine }, { params, query }) => ({
    goes: await wouldGo(engine, params.kind, query.days ?? null),
  }),
  keepFor: async ({ engine, account }, { params, body }) => {
    await keepFor(engine, params.kind, body.days, account.name)
    return {}
  },
  tidy: async ({ engine }) => {
    await askToTidy(engine)
    return {}
  },
}
