import { template } from '../../field/field'
import { defineSource } from './definition'

export const sourceConnection = template({ as: 'text', names: 'postgres', column: 'from' })
  .optional()
  .describe('a connection of kind database')

export const table = defineSource({
  words: 'a table',
  place: 'connection',
  what: 'table',
  shape: {
    connection: sourceConnection,
    table: template({ as: 'table', names: 'table', column: 'source table' })
      .optional()
      .describe('schema.table; a dot in a value is a letter of the name'),
  },
  fresh: ({ database }) => ({ connection: database, table: 'public.a_table' }),
})
