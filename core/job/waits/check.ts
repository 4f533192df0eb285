import { z } from 'zod'
import { field } from '../../field/field'
import { slicesMeeting } from '../../slice/slices'
import { identifier } from '../identifier'
import { defineWait } from './definition'

export const check = defineWait({
  words: 'for a check of another job',
  schema: z
    .strictObject({
      of: field(identifier, { names: 'job', label: 'of job' }).describe('the job whose check it waits for'),
      step: identifier.describe('the step that must be done: a check that holds; the loads of its job may still go on'),
    })
    .describe('for a step of another job, such as a check, in the slices that cover its own or fill it'),
  fresh: { of: 'another-job', step: 'check' },
  text: ({ of, step }) => `${step} of ${of}, for the slices that meet its own`,
  fault: ({ of }, own) =>
    of === own ? { path: 'of', message: 'it would wait for itself; the steps of a job run one after the other' } : undefined,
  perRow: () => false,
  jobs: ({ of }) => [of],
  needs: ({ of, step }, { slice }, { slicesOf, partOf }) => {
    const spec = slicesOf(of)
    const part = partOf(of, step)
    if (!spec || part === undefined) return [{ kind: 'check', job: of, part: -1, step, ...slice }]
    return slicesMeeting(spec, slice.from, slice.to).map((one) => ({ kind: 'check' as const, job: of, part, step, ...one })) // prettier-ignore
  },
}) // prettier-ignore
