import { z } from 'zod'
import { field, template } from '../../field/field'
import { identifier } from '../identifier'
import { defineStep } from './definition'

export const job = defineStep({
  does: 'another job is run',
  tells: 'log',
  firstId: 'call',
  schema: z
    .strictObject({
      name: template({ as: 'text', names: 'job', label: 'job', column: 'job' }).describe(
        'the job whose newest version is planned and run, in the same environment',
      ),
      parameters: field(z.record(identifier, template({ as: 'text' })), { label: 'its parameters' })
        .optional()
        .describe('values for its parameters, as texts'),
      slices: template({
        as: 'text',
        rare: true,
        label: 'its slices',
        usual: 'the newest that is over',
      })
        .optional()
        .describe('FROM/TO, half-open, where it has slices; the newest that is over where it is left out'),
      on_failure: field(z.enum(['stop', 'go-on']), {
        rare: true,
        label: 'where its run fails',
        words: { stop: 'the load fails', 'go-on': 'the load goes on, and says so' },
      })
        .default('stop')
        .describe('what a load does where the run of the other job fails or is stopped'),
    })
    .describe('plans and runs another job, and waits for its end'),
  fresh: () => 'name: another-job',
  settings: ({ on_failure }) => [
    { label: 'where its run fails', text: on_failure === 'stop' ? 'fail the load' : 'go on, and say so' },
  ],
  calls: ({ name }) => name,
})
