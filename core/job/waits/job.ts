import { z } from 'zod'
import { field } from '../../field/field'
import { slicesMeeting } from '../../slice/slices'
import { identifier } from '../identifier'
import { defineWait } from './definition'

export const job = defineWait({
  words: 'for another job',
  schema: z
    .strictObject({
      name: field(identifier, { names: 'job' }).describe('the job whose slices it waits for'),
      rows: field(z.enum(['all', 'same']), {
        words: { all: 'all of its rows', same: 'the row of the same key' },
      })
        .default('all')
        .describe('which of its rows must be loaded'),
    })
    .describe('for the slices of another job that cover its own, or fill it: a month waits for all its days'),
  fresh: { name: 'another-job' },
  text: ({ name, rows }) => `the slices of ${name} that meet its own${rows === 'same' ? ', row by row' : ''}`,
  fault: ({ name }, own) =>
    name === own ? { path: 'name', message: 'it would wait for itself; its own slice before is `previous`' } : undefined,
  perRow: ({ rows }) => rows === 'same',
  jobs: ({ name }) => [name],
  needs: ({ name, rows }, { row, slice }, { slicesOf }) => {
    const spec = slicesOf(name)
    if (!spec) return []
    return slicesMeeting(spec, slice.from, slice.to).map((one) => ({ kind: 'slice' as const, job: name, row: rows === 'same' ? row : null, ...one })) // prettier-ignore
  },
}) // prettier-ignore
