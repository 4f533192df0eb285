import { z } from 'zod'
import { columnName, scalar } from '../../field/field'
import { defineCheck } from './definition'

export const oneOf = defineCheck({
  words: 'one of some values',
  schema: z
    .strictObject({
      column: columnName.describe('its values'),
      values: z.array(scalar).min(1).describe('what each may be; empty ones are left alone'),
    })
    .describe('a column that has no other values'),
  text: ({ column, values }) => `${column} one of ${values.map(String).join(', ')}`,
  fresh: { column: 'kind', values: ['a', 'b'] },
})
