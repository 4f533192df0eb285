import { z } from 'zod'
import { field, template } from '../../field/field'
import { defineStep } from './definition'

const patterns = z.array(z.string().min(1))

export const survey = defineStep({
  does: 'a connection is looked through for datasets',
  tells: 'log',
  firstId: 'survey',
  schema: z
    .strictObject({
      on: template({ as: 'text', names: 'connection', label: 'connection' }).describe(
        'the connection that is looked through, of any kind that holds something',
      ),
      include: field(patterns, { label: 'look only at', usual: 'everything' })
        .default([])
        .describe('patterns of paths, or of schema.table; * stands for any letters; everything where it is left out'),
      exclude: field(patterns, { rare: true, label: 'leave out' }).default([]).describe('what is left out of that'),
      prefix: field(z.string(), { rare: true }).default('').describe('put before the name of each new dataset'),
      accept: field(z.enum(['rules', 'all', 'nothing']), {
        label: 'what it finds',
        words: {
          rules: 'is taken in by the rules of the datasets',
          all: 'is all taken in',
          nothing: 'waits for a person',
        },
      })
        .default('rules')
        .describe(
          'rules: new datasets are taken in, and each dataset says whether new columns are; all; or nothing, so that a person decides',
        ),
    })
    .describe('looks through a connection for new, changed and gone datasets'),
  fresh: ({ database }) => `on: ${database}`,
  settings: ({ include, exclude, accept }) => [
    { label: 'looks at', text: include.length > 0 ? include.join(', ') : 'everything' },
    ...(exclude.length > 0 ? [{ label: 'not at', text: exclude.join(', ') }] : []),
    { label: 'what it finds', text: { rules: 'by rules', all: 'taken in', nothing: 'waits for a person' }[accept] },
  ],
}) // prettier-ignore
