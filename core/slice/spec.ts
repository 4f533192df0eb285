import { z } from 'zod'
import { field } from '../field/field'

/** How the data time of a job is cut. */
export const slicesSchema = z
  .strictObject({
    every: z
      .string()
      .describe(
        'ISO 8601 duration, such as P1D, PT1H, P1M; hours that divide a day begin at the same hours of the clock each day',
      ),
    zone: z.string().default('UTC').describe('IANA time zone'),
    from: z.string().describe('start of the first slice: a date, or a date and time, in the zone'),
    until: z.string().optional().describe('end of the last slice (not part of it)'),
    offset: field(z.string(), { rare: true })
      .optional()
      .describe(
        'ISO 8601 duration by which every slice begins and ends later, such as PT6H for days from six to six',
      ),
    grace: z.string().optional().describe('ISO 8601 duration to wait after a slice closes'),
    restate: field(z.string(), { usual: 'P45D' })
      .optional()
      .describe(
        'ISO 8601 duration: a run that takes the newest slice loads those of so long before again, for sources that correct their past',
      ),
  })
  .describe('the job’s data time, cut into half-open spans')

export type SliceSpec = z.output<typeof slicesSchema>
