import { z } from 'zod'
import { sliceBefore } from '../../slice/slices'
import { defineWait } from './definition'

export const previous = defineWait({
  words: 'for its own slice before',
  schema: z
    .strictObject({})
    .describe('for the slice before of the same row, so that each builds on the last'),
  fresh: {},
  text: () => 'its own slice before',
  perRow: () => true,
  needs: (_given, { row, slice }, { job, slicesOf }) => {
    const spec = slicesOf(job)
    const before = spec && sliceBefore(spec, slice.from)
    return before ? [{ kind: 'slice', job, row, ...before }] : []
  },
})
