import { z } from 'zod'
import { field, template } from '../../field/field'
import { defineMessage } from './definition'

export const mail = defineMessage({
  words: 'a mail',
  schema: z
    .strictObject({
      on: template({ as: 'text', names: 'mail', label: 'by' }).describe('a connection of kind mail server'),
      to: template({ as: 'text', label: 'to', column: 'to' }).describe('addresses, with commas between'),
      subject: template({ as: 'text', label: 'subject', column: 'subject' }).describe('its subject'),
      text: template({ as: 'text', label: 'text', lines: 4 }).describe('what it says'),
    })
    .describe('a mail (SMTP)'),
  text: ({ to }) => `a mail to ${to}`,
  fresh: { on: 'a-mail-server', to: 'someone@example.org', subject: 'run {run.id}', text: 'It is done.' },
  address: z
    .strictObject({
      on: field(z.string().min(1, 'needs a value').max(200), { names: 'mail', label: 'by' }).describe('a connection of kind mail server'),
      to: field(z.string().min(1, 'needs a value').max(4000).regex(/^[^\r\n]*@[^\r\n]*$/, 'an address, such as someone@example.org; several with commas between'), { names: 'person', label: 'whom' }).describe('addresses, with commas between'),
    })
    .describe('a mail (SMTP)'),
  addressText: ({ to }) => `a mail to ${to}`,
  freshAddress: { on: '', to: '' },
}) // prettier-ignore
