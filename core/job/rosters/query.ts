import { z } from 'zod'
import { resolveText } from '../../roster/context'
import { template } from '../../field/field'
import { defineRoster } from './definition'

export const query = defineRoster({
  words: 'result of a query',
  schema: z
    .strictObject({
      on: template({ as: 'text', names: 'postgres' }).describe('a connection of kind database'),
      text: template({ as: 'sql', label: 'SQL', lines: 4 }).describe(
        'a SELECT; each row is one of the roster',
      ),
    })
    .describe('the rows a SELECT gives; expressions in it are bound values'),
  text: ({ on }) => `a query on ${on}`,
  fresh: { on: 'a-database', text: 'select 1 as id' },
  texts: ({ on, text }) => [on, text],
  shows: ({ on, text }) => ({ connection: on, sql: text }),
  source: ({ on, text }, context) => {
    const connection = resolveText(on, 'text', 'query.on', context)
    const statement = resolveText(text, 'sql', 'query.text', context)
    return {
      connection: connection.text,
      text: statement.text,
      values: statement.kind === 'sql' ? statement.values : [],
    }
  },
})
