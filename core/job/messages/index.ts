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

const addresses = Object.fromEntries(
  Object.entries(messages).map(([kind, { address, words, freshAddress }]) => [
    kind,
    { schema: address, words, fresh: freshAddress },
  ]),
) as {
  readonly [K in MessageKind]: {
    readonly schema: (typeof messages)[K]['address']
    readonly words: string
    readonly fresh: unknown
  }
}

/** What each way is told where it sends to. */
export type AddressSpec<K extends MessageKind = MessageKind> = Specs<typeof addresses>[K]

/** Whom to tell and how, without what is said. */
export const addressSchema = field(
  z
    .strictObject(optionalKinds(addresses))
    .refine((given) => kindsIn(addresses, given).length === 1, { message: `one of ${kinds.join(', ')}` }),
  { oneKind: addresses },
)
export type Address = z.output<typeof addressSchema>

/** Which way it is, and where it leads. */
export const addressOf = (address: Address): Given<typeof addresses> => givenKind(addresses, address)

/** Whom an address reaches, in words. */
export function addressText(address: Address): string {
  const { kind, spec } = addressOf(address)
  return (messages[kind].addressText as (given: AddressSpec) => string)(spec)
} // prettier-ignore
