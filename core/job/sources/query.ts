import { template } from '../../field/field'
import { defineSource } from './definition'
import { sourceConnection } from './table'

export const query = defineSource({
  words: 'a query',
  place: 'connection',
  what: 'query',
  shape: {
    connection: sourceConnection,
    query: template({ as: 'sql', runsOn: 'connection', lines: 5 })
      .optional()
      .describe('a SELECT; expressions in it are bound values'),
  },
  fresh: ({ database }) => ({ connection: database, query: 'select 1 as one' }),
})
