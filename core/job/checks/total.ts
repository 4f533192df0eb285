import { z } from 'zod'
import { field, template } from '../../field/field'
import { defineCheck } from './definition'
import { brief } from './none'

export const total = defineCheck({
  words: 'equal to a control total',
  schema: z
    .strictObject({
      query: template({ as: 'sql', runsOn: '/on', label: 'query', lines: 2 }).describe('a SELECT of one value'),
      is: template({ as: 'text', label: 'is' })
        .optional()
        .describe('what it must be, such as {param.total}; numbers are compared exactly'),
      store: template({ as: 'text', names: 'files', label: 'said by a file of' })
        .optional()
        .describe('a connection of kind file store, where a file says the total'),
      file: template({ as: 'path', label: 'its path' }).optional().describe('path of the one file that says it'),
      find: field(z.string().min(1), { label: 'found by', usual: 'all of its text' })
        .optional()
        .describe('a regular expression (RE2) with one group, which is the total; all of the text where it is left out'),
    })
    .superRefine(({ is, store, file }, context) => {
      if ((is === undefined) === (file === undefined))
        context.addIssue({ code: 'custom', message: 'is, or a file of a store', path: ['is'] })
      if ((store === undefined) !== (file === undefined))
        context.addIssue({ code: 'custom', message: 'store and file go together', path: ['store'] })
    })
    .describe('a value that somebody said beforehand'),
  text: ({ query, is, file }) => `${brief(query)} is ${is ?? `what ${file} says`}`,
  fresh: { query: 'select count(*) from public.some_table', is: '{param.total}' },
}) // prettier-ignore
