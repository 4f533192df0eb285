import { z } from 'zod'
import { moment, numberInAddress } from './common'
import { pickSchema } from './plans'
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

const span = {
  from: z.iso.datetime({ offset: true }),
  to: z.iso.datetime({ offset: true }).describe('not part of it'),
}

const reasonSchema = z
  .object({
    code: z
      .enum([
        'loaded',
        'running',
        'waits',
        'place',
        'held',
        'failed',
        'stopped',
        'skipped',
        'open',
        'not-yet',
        'paused',
        'decided',
        'left-out',
        'not-there',
        'nobody',
        'said',
      ])
      .describe('what kind of reason it is'),
    text: z.string().describe('in words'),
    run: z.number().nullable().describe('the run where it can be looked into'),
    load: z.number().nullable().describe('the load of that run'),
    plan: z.number().nullable().describe('the plan where it can be looked into'),
    job: z.string().nullable().describe('the job that it is of'),
    when: z
      .object({
        is: z.enum(['at', 'since', 'from', 'until', 'usually by']).describe('how the time goes with it'),
        at,
      })
      .nullable()
      .describe('a time that goes with it'),
    get because() {
      return z.array(reasonSchema).describe('the reasons behind it')
    },
  })
  .meta({ id: 'Reason', description: 'why something did not run, or does not run yet' })

/** What a load waits for, or waited for. */
export const waitsSchema = z
  .object({
    since: at,
    releasedAt: z.string().nullable().describe('when it was let go; null while it waits'),
    givesUpAt: z
      .string()
      .nullable()
      .describe('when it waits no longer, and fails; null where it waits however long'),
    gaveUp: z.boolean().describe('it waited as long as it may, and failed'),
    needs: z.array(
      z.object({
        kind: z
          .enum(['slice', 'refresh', 'files', 'run', 'check'])
          .describe(
            'a slice of a job, a refresh of a dataset, files, a run, or a step of a job such as a check',
          ),
        met: z.string().nullable().describe('since when it is there; null while it is not'),
        job: z.string().nullable(),
        title: z.string().nullable(),
        row: z.string().nullable().describe('null: all rows'),
        from: z.string().nullable(),
        to: z.string().nullable(),
        label: z.string().nullable(),
        loads: z
          .object({
            loaded: z.number().describe('loads that are done'),
            failed: z.number(),
            underWay: z.number().describe('loads that wait or run'),
          })
          .nullable()
          .describe('loads of the slice by what became of them'),
        run: z.number().nullable().describe('the newest run that took the slice'),
        usual: z.string().nullable().describe('when it is usually there'),
        step: z.string().nullable().describe('of a check: the step that must be done'),
        dataset: z.string().nullable().describe('`connection.name`'),
        after: z.string().nullable().describe('since when it must have been refreshed'),
        store: z.string().nullable(),
        pattern: z.string().nullable().describe('how its files are called'),
        marker: z.string().nullable().describe('the ending of the file that says that one is whole'),
        seen: z
          .array(z.object({ path: z.string(), size: z.number() }))
          .describe('files that are there and not yet whole'),
      }),
    ),
  })
  .meta({ id: 'LoadWaits', description: 'what a load waits for, or waited for' })

const builtOnSchema = z
  .object({
    job: z.string(),
    title: z.string(),
    how: z
      .enum(['waits', 'read'])
      .describe('how it is known: it waits for the other job, or read what that wrote'),
    of: z.string().describe('the job that it was built on'),
    picks: z
      .array(pickSchema)
      .nullable()
      .describe('what of it was loaded; null where it has no slices, and all of it is to be run'),
    loads: z.number(),
  })
  .meta({ id: 'BuiltOn', description: 'a later job that was built on slices' })

const coveredSchema = z.object({
  at: z.string().describe('now, by the clock that starts go by'),
  jobs: z.array(jobSchema),
})

export const coverageRoutes = {
  builtOn: route({
    needs: 'look',
    method: 'post',
    path: '/api/coverage/built-on',
    summary: 'what was built on stretches of a job, in the order in which it is built again',
    body: z.object({ environment: z.string(), job: z.string(), stretches: z.array(z.object(span)).min(1).max(5000).describe('stretches of data time') }),
    response: z.object({ jobs: z.array(builtOnSchema).describe('the nearest first') }),
  }),
  whySlice: route({
    method: 'get',
    path: '/api/coverage/why',
    summary: 'why a slice of a row did not run, or does not run yet: the reasons, each with those behind it',
    query: z.object({
      environment: z.string(),
      job: z.string(),
      part: z.string().optional().describe('every part where it is left out'),
      row: z.string().optional().describe('every row where it is left out'),
      ...span,
      label: z.string().describe('as the slice is called'),
    }),
    response: z.object({ reasons: z.array(reasonSchema).describe('the nearest first; never empty') }),
  }),
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
    response: coveredSchema,
  }),
  datasetCoverage: route({
    method: 'get',
    path: '/api/datasets/:id/coverage',
    summary: 'what was loaded into a dataset, by each row that writes it, slice by slice',
    of: 'dataset',
    params: z.object({ id: numberInAddress }),
    query: z.object({ from: moment, until: moment }),
    response: coveredSchema,
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
