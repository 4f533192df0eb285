import { z } from 'zod'
import { field } from '../../field/field'
import { defineWait } from './definition'

export const files = defineWait({
  words: 'for its files',
  schema: z
    .strictObject({
      marker: field(z.string().regex(/^[^/\\]+$/, 'an ending, such as .done'), { usual: '.done' })
        .optional()
        .describe('a file counts as here when one of the same name and this ending is; where it is left out, when it no longer grows'),
    })
    .describe('for the files that its steps read: they must be there, and whole'),
  fresh: {},
  text: ({ marker }) => `the files that it reads${marker === undefined ? '' : `, each with its ${marker}`}`,
  perRow: () => true,
  needs: ({ marker }) => [{ kind: 'files', marker }],
}) // prettier-ignore
