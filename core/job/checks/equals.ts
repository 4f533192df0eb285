import { z } from 'zod'
import { template } from '../../field/field'
import { defineCheck } from './definition'
import { brief } from './none'

export const equals = defineCheck({
  words: 'equal to the source',
  schema: z
    .strictObject({
      query: template({ as: 'sql', runsOn: '/on', label: 'here', lines: 2 }).describe(
        'a SELECT of one row, such as counts and sums, on the connection of the step',
      ),
      on: template({ as: 'text', names: 'postgres', label: 'source' }).describe('connection of the source'),
      to: template({ as: 'sql', runsOn: 'on', label: 'there', lines: 2 }).describe(
        'a SELECT of one row on the source; values are compared by their places, numbers exactly',
      ),
    })
    .describe('counts or sums that are the same here and at the source'),
  text: ({ query, on }) => `${brief(query)} as on ${on}`,
  fresh: {
    query: 'select count(*) from public.some_table',
    on: 'a-database',
    to: 'select count(*) from public.some_table',
  },
})
