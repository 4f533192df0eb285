import { z } from 'zod'
import { readingShape } from '../../files/reading'
import { resolveText } from '../../roster/context'
import { template } from '../../field/field'
import { defineRoster } from './definition'

export const file = defineRoster({
  words: 'rows in a file',
  schema: z
    .strictObject({
      store: template({ as: 'text', names: 'files' }).describe('a connection of kind file store'),
      path: template({ as: 'path' }).describe('path in the store; * and ? match within a name'),
      ...readingShape,
    })
    .describe('the rows of a file'),
  text: ({ path, store }) => `rows of ${path} in ${store}`,
  fresh: { store: 'a-store', path: 'list.csv' },
  texts: ({ store, path }) => [store, path],
  shows: ({ store, path }) => ({ connection: store, path }),
  source: ({ store, path, ...reading }, context) => {
    const found = resolveText(path, 'path', 'file.path', context)
    return {
      store: resolveText(store, 'text', 'file.store', context).text,
      pattern: found.kind === 'path' ? found.pattern : found.text,
      reading,
    }
  },
})
