import { z } from 'zod'
import { template } from '../../field/field'
import { defineCheck } from './definition'

export const none = defineCheck({
  words: 'a query gives no rows',
  schema: z
    .strictObject({
      query: template({ as: 'sql', runsOn: '/on', label: 'query', lines: 3 }).describe('a SELECT of the rows that must not be'),
    })
    .describe('a query that must give no rows'),
  text: ({ query }) => `no row of ${brief(query)}`,
  fresh: { query: 'select * from public.some_table where value < 0' },
}) // prettier-ignore

/** A statement on one line, cut where it is long. */
export const brief = (text: string): string => {
  const line = text.replace(/\s+/g, ' ').trim()
  return line.length > 60 ? `${line.slice(0, 60)}…` : line
}
