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
    dataset: template({ as: 'text', names: 'dataset', label: 'read as the dataset', rare: true })
      .optional()
      .describe(
        'a dataset of the catalog: its names, types, words for nothing and patterns hold for these files, and files of other datasets are left out',
      ),
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
