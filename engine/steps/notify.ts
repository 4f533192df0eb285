import type { StepSpec } from '../../core/job/steps'
import { senderOf } from '../messages'
import type { StepRunner } from './definition'

export const notify: StepRunner<StepSpec<'notify'>> = {
  async run(context, given) {
    const { installation, load, step, text, aside, outcome } = context
    const { kind, sender, spec } = senderOf(given)
    const sending = {
      context,
      text: (path: string) => text(`${kind}.${path}`),
      id: `${installation}.${load}.${step}`,
    }
    outcome.log.push(
      aside
        ? `in a try nobody is told: ${sender.would(sending, spec)}`
        : `told: ${await sender.send(sending, spec)}`,
    )
    return outcome
  },
}
