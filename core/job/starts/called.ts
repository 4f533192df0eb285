import { z } from 'zod'
import { defineStart } from './definition'

export const called = defineStart({
  words: 'when a signed web call comes',
  schema: z
    .strictObject({})
    .describe('when another program calls its address, signed with its key (RFC 9421)'),
  fresh: {},
  text: () => 'when a signed web call comes',
  // whoever calls knows that there is something to do, though its newest slice may be the same
  takes: () => 'either',
  apart: true,
})
