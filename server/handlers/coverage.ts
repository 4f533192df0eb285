import { FaultError } from '../../core/fault'
import { groupBy } from '../../core/group'
import { clockNow } from '../../engine/context/clock'
import { rowsThatWrite } from '../../engine/coverage/writers'
import { builtOn } from '../../engine/coverage/builtOn'
import { readSlice } from '../../engine/coverage/oneSlice'
import { whyNot } from '../../engine/waiting/why'
import type { Handlers } from '../handler'
import { plannerOf } from '../planner'

export const coverageHandlers: Pick<
  Handlers,
  'coverage' | 'datasetCoverage' | 'slice' | 'whySlice' | 'builtOn'
> = {
  coverage: async (asked, { query }) => (await plannerOf(asked, 'readCoverage', query)) as never,
  datasetCoverage: async (asked, { params, query }) => {
    const { environment, rows } = await rowsThatWrite(asked.engine, params.id)
    const jobs = []
    let at = new Date(await clockNow(asked.engine)).toISOString()
    for (const [job, own] of groupBy(rows, (row) => row.job)) {
      const known = new Set(own.map(({ part, row }) => `${part}\n${row}`))
      const covered = await plannerOf(asked, 'readCoverage', { environment, ...query, job }).catch(
        (error: unknown) => {
          // one that is gone, or no longer goes through slices, has no strip
          if (error instanceof FaultError && error.fault.code === 'unknown-name') return undefined
          throw error
        },
      )
      if (!covered) continue
      at = covered.at
      for (const one of covered.jobs)
        jobs.push({ ...one, rows: one.rows.filter(({ part, row }) => known.has(`${part}\n${row}`)) })
    }
    return { at, jobs } as never
  },
  whySlice: async ({ engine }, { query }) => ({ reasons: (await whyNot(engine, query)) as never }),
  builtOn: async ({ engine }, { body: { environment, job, stretches } }) => ({
    jobs: (await builtOn(engine, environment, job, stretches)) as never,
  }),
  slice: async ({ engine }, { query }) => (await readSlice(engine, query)) as never,
}
