import { z } from 'zod'
import { field, template } from '../../field/field'
import { defineMessage } from './definition'

export const webhook = defineMessage({
  words: 'an event to a web address',
  schema: z
    .strictObject({
      on: template({ as: 'text', names: 'webhook', label: 'to' }).describe(
        'a connection of kind web address for events',
      ),
      type: template({ as: 'text', label: 'type', usual: 'mattock.notice', rare: true })
        .optional()
        .describe('what kind of event it is, for who receives it'),
      text: template({ as: 'text', label: 'text', lines: 3 }).describe('what it says'),
    })
    .describe('an event (CloudEvents 1.0), signed'),
  text: ({ on }) => `an event to ${on}`,
  fresh: { on: 'a-web-address', text: 'run {run.id} is done' },
  address: z
    .strictObject({
      on: field(z.string().min(1, 'needs a value').max(200), { names: 'webhook', label: 'by' }).describe('a connection of kind web address for events'),
    })
    .describe('an event (CloudEvents 1.0), signed'),
  addressText: ({ on }) => `an event to ${on}`,
  freshAddress: { on: '' },
}) // prettier-ignore
