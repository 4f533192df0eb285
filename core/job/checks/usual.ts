import { z } from 'zod'
import { field, template } from '../../field/field'
import { defineCheck } from './definition'

export const usual = defineCheck({
  words: 'about as many rows as usual',
  schema: z
    .strictObject({
      query: template({
        as: 'sql',
        runsOn: '/on',
        label: 'counted by',
        lines: 2,
        usual: 'all rows of the table',
      })
        .optional()
        .describe('a SELECT of one number; all rows of the table where it is left out'),
      within: z.number().gt(0).describe('share of the usual number that it may be off, such as 0.3'),
      after: field(z.int().min(1).max(60), { rare: true })
        .default(3)
        .describe('loads of the same row that must have been counted before; fewer know no usual number'),
    })
    .describe('a number of rows near the median of earlier loads of the same row'),
  text: ({ within }) => `rows within ${Math.round(within * 1000) / 10} % of the usual`,
  fresh: { within: 0.3 },
})
