import { builtOn } from '../../engine/coverage/builtOn'
import { readSlice } from '../../engine/coverage/oneSlice'
import { whyNot } from '../../engine/waiting/why'
import type { Handlers } from '../handler'
import { plannerOf } from '../planner'

export const coverageHandlers: Pick<Handlers, 'coverage' | 'slice' | 'whySlice' | 'builtOn'> = {
  coverage: async (asked, { query }) => (await plannerOf(asked, 'readCoverage', query)) as never,
  whySlice: async ({ engine }, { query }) => ({ reasons: (await whyNot(engine, query)) as never }),
  builtOn: async ({ engine }, { body: { environment, job, stretches } }) => ({
    jobs: (await builtOn(engine, environment, job, stretches)) as never,
  }),
  slice: async ({ engine }, { query }) => (await readSlice(engine, query)) as never,
}
