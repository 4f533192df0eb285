import { z } from 'zod'
import { columnName } from '../../field/field'
import { defineCheck } from './definition'

const end = z.union([z.number(), z.string().min(1)])

export const inRange = defineCheck({
  words: 'values between two ends',
  schema: z
    .strictObject({
      column: columnName.describe('its values'),
      from: end.optional().describe('the smallest there may be, as the column writes it'),
      to: end.optional().describe('the largest there may be, as the column writes it'),
    })
    .refine(({ from, to }) => from !== undefined || to !== undefined, {
      message: 'from, to, or both',
    })
    .describe('a column whose values lie between two ends, both included; empty ones are left alone'),
  text: ({ column, from, to }) =>
    [`${column}`, from === undefined ? '' : `from ${from}`, to === undefined ? '' : `to ${to}`]
      .filter(Boolean)
      .join(' '),
  fresh: { column: 'value', from: 0 },
})
