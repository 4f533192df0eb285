import { z } from 'zod'
import { field } from '../field/field'
import { defineConnector } from './definition'
import { filled } from './texts'

export const files = defineConnector({
  title: 'file store',
  words: 'a file store',
  holds: 'files',
  settings: z.strictObject({
    folder: field(filled(), { label: 'folder', usual: '/data/drop' }).describe(
      'the folder below which its files lie',
    ),
  }),
  secret: () => undefined,
})
