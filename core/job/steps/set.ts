import { z } from 'zod'
import { template } from '../../field/field'
import { defineStep } from './definition'

export const set = defineStep({
  does: 'values for later steps',
  tells: 'log',
  firstId: 'set',
  schema: z
    .strictObject({
      on: template({ as: 'text', names: 'postgres' }).describe('a connection of kind database'),
      query: template({ as: 'sql', runsOn: 'on', label: 'query', column: 'query', lines: 4 }).describe(
        'a SELECT that gives one row; later steps read its columns as step["id"].value.column',
      ),
    })
    .describe('values for later steps, from a query that gives one row'),
  fresh: ({ database }) => `on: ${database}\nquery: select max(id) as last from public.some_table`,
  tables: (text, statements) => {
    const on = text('on')
    const query = text('query')
    if (on?.kind !== 'text' || query?.kind !== 'sql') return []
    const reads = statements.get(query.text)?.reads ?? []
    return reads.map((table) => ({ connection: on.text, table, does: 'read' as const }))
  },
})
