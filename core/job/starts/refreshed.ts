import { z } from 'zod'
import { field } from '../../field/field'
import { defineStart } from './definition'

export const refreshed = defineStart({
  words: 'when what it reads was refreshed',
  schema: z
    .strictObject({
      wait_for: field(z.enum(['all', 'any']), {
        label: 'waits for',
        words: { all: 'all of them, since it last began', any: 'any of them' },
      })
        .default('all')
        .describe('all of them since its last start, or any'),
      of: field(z.array(z.string().min(1)).min(1), { label: 'datasets', usual: 'warehouse.raw.flow_reading' })
        .optional()
        .describe('connection.schema.table; what its runs read lately where it is left out'),
    })
    .describe('when a job that writes them is done'),
  fresh: {},
  text: ({ wait_for, of }) =>
    `when ${of === undefined ? `${wait_for} that it reads` : of.length === 1 ? of[0]! : `${wait_for} of ${of.length} datasets`} ${of?.length === 1 || wait_for === 'any' ? 'was' : 'were'} refreshed`,
  concerns: ({ wait_for, of }, happened, reads) => {
    const wanted = of ?? reads
    const came = wanted.filter((dataset) => happened.refreshed.includes(dataset))
    if (came.length === 0) return undefined
    return wait_for === 'any' ? { all: false } : { all: true, of: wanted, came }
  },
  // its inputs are not what they were, though its newest slice may be the same
  takes: () => 'either',
  follows: ({ wait_for, of }, reads) => ({ datasets: of ?? reads, all: wait_for === 'all' }),
})
