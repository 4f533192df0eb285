import { readSlice } from '../../engine/coverage/oneSlice'
import type { Handlers } from '../handler'
import { plannerOf } from '../planner'

export const coverageHandlers: Pick<Handlers, 'coverage' | 'slice'> = {
  coverage: async (asked, { query }) => (await plannerOf(asked, 'readCoverage', query)) as never,
  slice: async ({ engine }, { query }) => (await readSlice(engine, query)) as never,
}
