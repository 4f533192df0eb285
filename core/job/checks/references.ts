import { z } from 'zod'
import { columnNames } from '../../field/field'
import { defineCheck } from './definition'

export const references = defineCheck({
  words: 'found in another table',
  schema: z
    .strictObject({
      columns: columnNames.describe('their values; rows in which one is empty are left alone'),
      table: z.string().min(1).describe('schema.table of the same database'),
      to: columnNames.optional().describe('its columns, where they are called otherwise'),
    })
    .refine(({ columns, to }) => to === undefined || to.length === columns.length, {
      message: 'as many as columns',
      path: ['to'],
    })
    .describe('columns whose values are all there in another table'),
  text: ({ columns, table, to }) =>
    `${columns.join(', ')} in ${table}${to === undefined ? '' : ` (${to.join(', ')})`}`,
  fresh: { columns: ['id'], table: 'public.some_table' },
})
