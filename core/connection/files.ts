import { z } from 'zod'
import { field } from '../field/field'
import { defineConnector } from './definition'
import { filled } from './texts'

export const files = defineConnector({
  words: 'a file store',
  settings: z.strictObject({
    folder: field(filled(), { label: 'Folder on the machines that work' }).describe(
      'the folder below which its files lie',
    ),
  }),
  secret: () => undefined,
})
