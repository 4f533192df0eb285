import { messageSchema, messageText } from '../messages'
import { defineStep } from './definition'

export const notify = defineStep({
  does: 'somebody is told',
  tells: 'log',
  firstId: 'tell',
  schema: messageSchema.describe('tells somebody, by mail or by an event to a web address'),
  fresh: () => 'mail: { on: a-mail-server, to: someone@example.org, subject: "run {run.id}", text: It is done. }',
  settings: (given) => [{ label: 'tells', text: messageText(given) }],
}) // prettier-ignore
