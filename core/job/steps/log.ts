import { z } from 'zod'
import { template } from '../../field/field'
import { defineStep } from './definition'

export const log = defineStep({
  does: 'a line in the log of the load',
  tells: 'log',
  firstId: 'tell',
  schema: z
    .strictObject({
      text: template({ as: 'text', label: 'line', lines: 2 }).describe(
        'the line, with what earlier steps did',
      ),
    })
    .describe('writes a line into the log of the load'),
  fresh: () => 'text: a line in the log',
})
