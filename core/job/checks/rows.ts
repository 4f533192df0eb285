import { z } from 'zod'
import { field } from '../../field/field'
import { defineCheck } from './definition'

export const rows = defineCheck({
  words: 'number of rows',
  ofAll: true,
  schema: z
    .strictObject({
      at_least: field(z.int().min(0), { label: 'at least' }).optional().describe('rows there must be'),
      at_most: field(z.int().min(0), { label: 'at most' }).optional().describe('rows there may be'),
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
