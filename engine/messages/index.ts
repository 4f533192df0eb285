import {
  addressOf,
  messageOf,
  type Address,
  type AddressSpec,
  type Message,
  type MessageKind,
  type MessageSpec,
} from '../../core/job/messages'
import type { Said, Sender } from './definition'
import { mail } from './mail'
import { webhook } from './webhook'

/** Every way to tell somebody something: how it is done. */
const senders: { readonly [K in MessageKind]: Sender<MessageSpec<K>, AddressSpec<K>> } = { mail, webhook }

/** Which message it is, and how it is sent. */
export function senderOf(message: Message): { kind: MessageKind; sender: Sender<MessageSpec>; spec: MessageSpec } {
  const { kind, spec } = messageOf(message)
  return { kind, sender: senders[kind] as Sender<MessageSpec>, spec }
} // prettier-ignore

/** Tells somebody what an alert says; returns what was said to it. @throws StepFault, or a fault that may pass */
export function tell(said: Said, address: Address): Promise<string> {
  const { kind, spec } = addressOf(address)
  return (senders[kind] as Sender<MessageSpec, AddressSpec>).tell(said, spec)
}
