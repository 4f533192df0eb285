import type { StepSpec } from '../../core/job/steps'
import type { StepRunner } from './definition'

export const log: StepRunner<StepSpec<'log'>> = {
  run: async ({ text, outcome }) => {
    outcome.log.push(text('text').text)
    return outcome
  },
}
