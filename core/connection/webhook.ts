import { z } from 'zod'
import { field } from '../field/field'
import { defineConnector } from './definition'

export const webhook = defineConnector({
  title: 'event address',
  words: 'a web address for events',
  holds: 'nothing',
  settings: z.strictObject({
    address: field(
      z
        .url({ protocol: /^https?$/, error: 'an address that begins with http:// or https://' })
        .refine((text) => !/^https?:\/\/[^/]*@/.test(text), 'an address without user and password'),
      { label: 'address', usual: 'https://example.org/events' },
    ).describe('where events are sent to (POST)'),
  }),
  secret: () => 'signing key',
  givenTo: ({ address }) => URL.parse(String(address))?.origin ?? '',
})
