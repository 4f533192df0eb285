import { z } from 'zod'
import { field } from '../../field/field'
import { defineRoster } from './definition'

export const datasets = defineRoster({
  words: 'datasets of the catalog',
  schema: z
    .strictObject({
      named: field(z.string().min(1), { usual: '*' })
        .default('*')
        .describe('* and ? match letters of the name'),
      connection: field(z.string(), { names: 'postgres' })
        .optional()
        .describe('only those of this connection'),
      tag: z.string().optional().describe('only those that have this tag'),
    })
    .describe('datasets of the catalog'),
  text: ({ named, connection, tag }) =>
    `datasets named ${named}${connection ? ` of ${connection}` : ''}${tag ? `, tagged ${tag}` : ''}`,
  fresh: { named: '*' },
  texts: () => [],
  source: ({ named, connection, tag }) => ({ named, connection: connection ?? null, tag: tag ?? null }),
})
