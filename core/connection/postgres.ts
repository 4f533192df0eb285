import { z } from 'zod'
import { field } from '../field/field'
import { defineConnector } from './definition'
import { filled } from './texts'

export const postgres = defineConnector({
  title: 'Postgres database',
  words: 'a database',
  holds: 'tables',
  settings: z.strictObject({
    host: field(filled(), { label: 'host' }).describe('name or address of the server'),
    port: field(z.coerce.number<string | number>().int().min(1).max(65535), {
      label: 'port',
      usual: '5432',
    }).describe('port of the server'),
    database: field(filled(), { label: 'database' }).describe('name of the database'),
    user: field(filled(), { label: 'user' }).describe('who signs in'),
  }),
  secret: () => 'password',
  givenTo: ({ host, port }) => `${String(host)}:${String(port)}`,
})
