import { z } from 'zod'
import { columnName } from '../../field/field'
import { defineCheck } from './definition'

export const pattern = defineCheck({
  words: 'values of a form',
  schema: z
    .strictObject({
      column: columnName.describe('its values'),
      matches: z
        .string()
        .min(1)
        .describe('a regular expression of Postgres, for the whole value; empty ones are left alone'),
    })
    .describe('a column whose values all have a form'),
  text: ({ column, matches }) => `${column} like ${matches}`,
  fresh: { column: 'code', matches: '[A-Z]{2}[0-9]+' },
})
