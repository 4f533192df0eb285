import { z } from 'zod'
import { field } from '../field/field'
import { defineConnector } from './definition'
import { filled, maybe } from './texts'

export const mail = defineConnector({
  title: 'mail server (SMTP)',
  words: 'a mail server',
  holds: 'nothing',
  settings: z.strictObject({
    host: field(filled(), { label: 'host' }).describe('name or address of the server'),
    port: field(z.coerce.number<string | number>().int().min(1).max(65535), {
      label: 'port',
      usual: '587',
    }).describe('port of the server'),
    security: field(z.enum(['starttls', 'tls', 'none']), {
      label: 'encrypted',
      words: { starttls: 'once it has answered (STARTTLS)', tls: 'from the beginning (TLS)', none: 'not at all' },
    })
      .default('starttls')
      .describe('how the line is made secret'),
    user: field(maybe(), { label: 'user', usual: 'nobody signs in' }).describe('who signs in; empty where nobody does'),
    from: field(filled(), { label: 'sent from', usual: 'loads@example.org' }).describe('the address that mails come from'),
  }),
  secret: ({ user }) => (user === undefined || user === '' ? undefined : 'password'),
  givenTo: ({ host, port }) => `${String(host)}:${String(port)}`,
}) // prettier-ignore
