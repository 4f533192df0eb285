import { z } from 'zod'
import { field } from '../../field/field'
import { slicesMeeting } from '../../slice/slices'
import { defineWait } from './definition'

export const dataset = defineWait({
  words: 'for a dataset',
  schema: z
    .strictObject({
      of: field(z.string().regex(/^[^.]+\..+$/, 'a connection and a name, such as warehouse.raw.flow_reading'), { names: 'dataset' })
        .describe('the dataset, `connection.name`'),
    })
    .describe('for the slices that meet its own of the jobs that write a dataset; where those have no slices, for a refresh since its own was over'),
  fresh: { of: 'warehouse.raw.reading' },
  text: ({ of }) => `the slices of ${of} that meet its own`,
  perRow: () => false,
  datasets: ({ of }) => [of],
  needs: ({ of }, { slice }, { job, slicesOf, writersOf }) => {
    const writers = writersOf(of).filter((name) => name !== job)
    if (writers.length === 0) return [{ kind: 'refresh', dataset: of, since: slice.to }]
    return writers.flatMap((name) => slicesMeeting(slicesOf(name)!, slice.from, slice.to).map((one) => ({ kind: 'slice' as const, job: name, row: null, ...one })))
  },
}) // prettier-ignore
