import { z } from 'zod'
import { field } from '../../field/field'
import { givenKind, kindsIn, optionalKinds, type Given, type Specs } from '../kinds'
import { mail } from './mail'
import { webhook } from './webhook'

/** Every way to tell somebody something. */
export const messages = { mail, webhook }

export type MessageKind = keyof typeof messages
export type MessageSpec<K extends MessageKind = MessageKind> = Specs<typeof messages>[K]
const kinds = Object.keys(messages)

/** One message of some kind. */
export const messageSchema = field(
  z.strictObject(optionalKinds(messages)).refine((given) => kindsIn(messages, given).length === 1, {
    message: `one of ${kinds.join(', ')}`,
  }),
  { oneKind: messages },
)
export type Message = z.output<typeof messageSchema>

/** Which message it is, and what it is given. */
export const messageOf = (message: Message): Given<typeof messages> => givenKind(messages, message)

/** A message in words. */
export function messageText(message: Message): string {
  const { kind, spec } = messageOf(message)
  return (messages[kind].text as (given: MessageSpec) => string)(spec)
}
