import { z } from 'zod'
import { template } from '../../field/field'
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
})
