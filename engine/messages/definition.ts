import type { StepContext, TextOf } from '../context/step'

/** A message as it is about to be sent. */
export interface Sending {
  readonly context: StepContext
  /** The texts of the message, by their path below it. */
  readonly text: TextOf
  /** The same however often it is sent: who receives it twice can tell. */
  readonly id: string
}

/** A way to tell somebody something. core/job/messages/ has the other half. */
export interface Sender<Spec> {
  /** Whom it would be sent to, in words, for a try. */
  readonly would: (sending: Sending, spec: Spec) => string
  /** Sends it; returns what was said to it. @throws StepFault, or a fault that may pass */
  readonly send: (sending: Sending, spec: Spec) => Promise<string>
}
