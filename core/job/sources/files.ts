import { z } from 'zod'
import { readingShape } from '../../files/reading'
import { field, template } from '../../field/field'
import { defineSource } from './definition'

export const files = defineSource({
  words: 'files of a store',
  place: 'store',
  what: 'files',
  shape: {
    store: template({ as: 'text', names: 'files' }).optional().describe('a connection of kind file store'),
    files: template({ as: 'path', column: 'file' })
      .optional()
      .describe('path in the store; * and ? match within a name'),
    missing: field(z.enum(['fail', 'skip']), {
      rare: true,
      label: 'no file',
      words: { fail: 'fails the load', skip: 'skips the load' },
    })
      .default('fail')
      .describe('what a load does when its file is not there'),
    ...readingShape,
  },
  fresh: ({ store }) => ({ store, files: '*.csv' }),
})
