import { z } from 'zod'
import { checkSchema, checkText } from '../checks'
import { field, template } from '../../field/field'
import { defineStep } from './definition'

export const check = defineStep({
  does: 'what must hold of a table',
  tells: 'holds',
  firstId: 'check',
  schema: z
    .strictObject({
      on: template({ as: 'text', names: 'postgres' }).describe('a connection of kind database'),
      table: template({ as: 'table', names: 'table', column: 'checked table' }).describe('schema.table'),
      that: z.array(checkSchema).min(1).describe('what must hold'),
      on_failure: field(z.enum(['stop', 'go-on']), {
        rare: true,
        label: 'where it does not hold',
        words: { stop: 'the load fails', 'go-on': 'the load goes on, and says so' },
      })
        .default('stop')
        .describe('what a load does where something does not hold'),
    })
    .describe('holds a table to what must be so; the load fails where it is not'),
  fresh: ({ database }) => `on: ${database}\ntable: public.new_table\nthat:\n  - rows: { at_least: 1 }`,
  settings: ({ that, on_failure }) => [
    { label: 'holds', text: that.map(checkText).join('; ') },
    ...(on_failure === 'go-on' ? [{ label: 'where it does not', text: 'go on, and say so' }] : []),
  ],
})
