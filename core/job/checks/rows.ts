import { z } from 'zod'
import { defineCheck } from './definition'

export const rows = defineCheck({
  words: 'number of rows',
  schema: z
    .strictObject({
      at_least: z.int().min(0).optional().describe('rows there must be'),
      at_most: z.int().min(0).optional().describe('rows there may be'),
    })
    .describe('how many rows there are'),
  text: ({ at_least, at_most }) => {
    const bounds = [
      at_least === undefined ? '' : `at least ${at_least}`,
      at_most === undefined ? '' : `at most ${at_most}`,
    ]
    return `${bounds.filter(Boolean).join(', ')} ${(at_most ?? at_least) === 1 ? 'row' : 'rows'}`
  },
  fresh: { at_least: 1 },
})
