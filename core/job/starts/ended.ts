import { z } from 'zod'
import { field } from '../../field/field'
import { identifier } from '../identifier'
import { defineStart } from './definition'

const says = { done: 'is done', failed: 'failed or was stopped', ended: 'has ended, however' } as const

export const ended = defineStart({
  words: 'when another job has ended',
  schema: z
    .strictObject({
      job: field(identifier, { names: 'job' }).describe('the job whose end it waits for'),
      as: field(z.enum(['done', 'failed', 'ended']), { label: 'when it', words: says })
        .default('done')
        .describe('how it must have ended'),
    })
    .describe('when a run of another job has ended'),
  fresh: { job: 'another-job' },
  text: ({ job, as }) => `when ${job} ${says[as]}`,
  fault: ({ job }, own) =>
    job === own.name ? { path: 'job', message: 'it would start itself for ever' } : undefined,
  concerns: ({ job, as }, happened) => {
    const fits = as === 'ended' || (as === 'done') === (happened.state === 'done')
    return job === happened.job && fits ? { all: false } : undefined
  },
  // its inputs are not what they were, though its newest slice may be the same
  takes: () => 'either',
  follows: ({ job, as }) => ({ jobs: [job], all: false, as }),
})
