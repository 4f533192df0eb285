import { z } from 'zod'
import { moment } from './common'
import { route } from './route'

const at = z.string().describe('ISO 8601 instant')

const rowSchema = z.object({
  part: z.string(),
  row: z.string().describe('key of the row'),
  there: z.boolean().describe('the job loops over it now'),
  values: z.array(z.string()).describe('its values in the columns that rows can be grouped by'),
  letters: z
    .string()
    .describe(
      'a letter for each slice: L loaded, E loaded and a later load failed, F failed, S skipped, X stopped, R running, W waiting, H held, M missing, B before anything of the row was loaded, P over and its start has not come, N not asked for',
    ),
  rows: z.array(z.number()).describe('rows of each slice, 0 where it was never loaded'),
  rejected: z
    .array(z.tuple([z.number(), z.number()]))
    .describe('places of the slices that rows were rejected of, with how many'),
  gaps: z.number().describe('slices of which what should be there is not'),
})

const jobSchema = z
  .object({
    job: z.string(),
    title: z.string(),
    zone: z.string(),
    every: z.string().describe('length of a slice, ISO 8601'),
    slices: z
      .array(z.object({ from: at, to: at, label: z.string() }))
      .describe('in order; those of an earlier rule are among them where they were loaded'),
    parts: z
      .array(z.object({ part: z.string(), title: z.string() }))
      .describe('parts that go through slices, where there are several'),
    columns: z.array(z.string()).describe('columns of the roster that rows can be grouped by'),
    rows: z.array(rowSchema),
    restatedFrom: z.string().nullable().describe('slices from here on are loaded again by the next run'),
    trouble: z.string().nullable().describe('why the rows of its roster are not known; then those that were loaded are here'),
    without: z.string().nullable().describe('why nothing of it is here'),
  })
  .meta({ id: 'CoverageJob', description: 'what was loaded of the rows of a job, slice by slice' }) // prettier-ignore

export const coverageRoutes = {
  coverage: route({
    method: 'get',
    path: '/api/coverage',
    summary: 'what was loaded of each row, slice by slice, and what is missing',
    query: z.object({
      environment: z.string(),
      from: moment,
      until: moment,
      job: z.string().optional().describe('every job with slices where it is left out'),
    }),
    response: z.object({ at: z.string().describe('now, by the clock that starts go by'), jobs: z.array(jobSchema) }),
  }),
  slice: route({
    method: 'get',
    path: '/api/coverage/slice',
    summary: 'all that is known of one row and slice: its loads, its files, and what was made of it',
    query: z.object({
      environment: z.string(),
      job: z.string(),
      part: z.string(),
      row: z.string(),
      from: z.iso.datetime({ offset: true }),
      to: z.iso.datetime({ offset: true }),
      label: z.string().optional().describe('as it is shown; loads that have not ended yet are found by it'),
    }),
    response: z
      .object({
        loads: z
          .array(
            z.object({
              id: z.number(),
              run: z.number(),
              state: z.string(),
              at: z.string().nullable(),
              by: z.string(),
              cause: z.string(),
              read: z.number(),
              rows: z.number().describe('rows that it found or put in the target'),
              rejected: z.number(),
              message: z.string().nullable().describe('what it failed with'),
            }),
          )
          .describe('the newest first'),
        total: z.number().describe('loads there were, also those that are no longer kept'),
        usual: z.number().nullable().describe('the middle of the rows of the last 28 slices before it'),
        files: z.array(
          z.object({
            path: z.string(),
            store: z.string(),
            size: z.number(),
            modified: z.string(),
            did: z.string().describe('read, or what was done with it'),
          }),
        ),
        places: z.array(z.string()).describe('datasets that it wrote and that were read since'),
        uses: z
          .array(
            z.object({
              job: z.string(),
              title: z.string(),
              run: z.number(),
              at: z.string(),
              place: z.string(),
              label: z.string().nullable(),
            }),
          )
          .describe('the first run of each other job that read what it wrote'),
      })
      .meta({ id: 'OneSlice', description: 'what is known of one row and slice' }),
  }),
} // prettier-ignore
