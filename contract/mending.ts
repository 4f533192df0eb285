import { z } from 'zod'
import { numberInAddress, numberInBody, page } from './common'
import { route } from './route'
import { stateSchema } from './shapes'

/** Rows that a load could not write: seen, mended, and brought in again. */

const ofLoad = {
  needs: 'run',
  of: 'run',
  params: z.object({ id: numberInAddress, load: numberInAddress }),
} as const

const rejectedRow = z.object({
  at: z.number().describe('its place among the rejects of the step, from 0'),
  file: z.string(),
  line: z.number(),
  column: z.string(),
  reason: z.string(),
  raw: z.string(),
})
const cells = z.array(z.string().nullable()).describe('its values, in the order of the columns')

export const mendingRoutes = {
  rejects: route({
    ...ofLoad,
    method: 'get',
    path: '/api/runs/:id/loads/:load/rejects',
    summary: 'rows that could not be written',
    query: z.object({ step: z.string(), ...page }),
    response: z.object({ rows: z.array(rejectedRow), total: z.number() }),
  }),
  toMend: route({
    ...ofLoad,
    method: 'get',
    path: '/api/runs/:id/loads/:load/mend',
    summary:
      'rows that could not be written and that no run has brought in, with their values, the first thousand',
    query: z.object({ step: z.string() }),
    response: z.object({
      columns: z.array(z.string()),
      total: z.number(),
      left: z.number().describe('those that no run has brought in'),
      rows: z.array(
        rejectedRow.extend({
          values: cells.nullable(),
          beyond: z.array(z.string()).describe('fields of its line that are beyond the columns'),
        }),
      ),
      runs: z
        .array(
          z.object({
            run: z.number(),
            state: stateSchema,
            by: z.string(),
            rows: z.number(),
            at: z.string(),
          }),
        )
        .describe('runs that brought rows in'),
      cannot: z.string().nullable().describe('why none of them can be brought in; null where they can'),
    }),
  }),
  mend: route({
    ...ofLoad,
    method: 'post',
    path: '/api/runs/:id/loads/:load/mend',
    summary: 'bring mended rows in, in a run of their own that is tied to this load',
    large: true,
    body: z.object({
      step: z.string(),
      rows: z
        .array(z.object({ at: numberInBody, values: cells }))
        .min(1)
        .max(1_000),
      press: z
        .string()
        .min(8)
        .max(100)
        .optional()
        .describe(
          'made up by whoever asks; asked for again with the same, the answer is the run that it began',
        ),
    }),
    response: z.object({ run: z.number() }),
    faults: ['mend'],
  }),
} as const
