import type { Engine } from '../context/engine'
import type { StepContext, TextOf } from '../context/step'

/** A message as it is about to be sent. */
export interface Sending {
  readonly context: StepContext
  /** The texts of the message, by their path below it. */
  readonly text: TextOf
  /** The same however often it is sent: who receives it twice can tell. */
  readonly id: string
}

/** What an alert says, whichever way. */
export interface Said {
  readonly engine: Engine
  readonly environment: string
  readonly signal: AbortSignal
  /** The same however often it is sent. */
  readonly id: string
  readonly subject: string
  readonly text: string
  /** For those that a program receives: what kind of event it is, where it comes from, and its facts. */
  readonly type: string
  readonly source: string
  readonly at: string
  readonly data: Readonly<Record<string, unknown>>
}

/** A way to tell somebody something. core/job/messages/ has the other half. */
export interface Sender<Spec, Address = unknown> {
  /** Whom it would be sent to, in words, for a try. */
  readonly would: (sending: Sending, spec: Spec) => string
  /** Sends it; returns what was said to it. @throws StepFault, or a fault that may pass */
  readonly send: (sending: Sending, spec: Spec) => Promise<string>
  /** Sends what an alert says to an address; returns what was said to it. @throws StepFault, or a fault that may pass */
  readonly tell: (said: Said, address: Address) => Promise<string>
}
