import type { z } from 'zod'

/** A way to tell somebody something; engine/messages/ has the other half. */
export interface MessageDefinition<
  Schema extends z.ZodType = z.ZodType,
  Address extends z.ZodType = z.ZodType,
> {
  /** `a mail`, as it is offered. */
  readonly words: string
  readonly schema: Schema
  /** Whom it is sent to, in words. */
  readonly text: (given: z.output<Schema>) => string
  readonly fresh: unknown
  /** The way and whom, without what is said: an alert says that itself. */
  readonly address: Address
  readonly addressText: (given: z.output<Address>) => string
  readonly freshAddress: unknown
}

export const defineMessage = <Schema extends z.ZodType, Address extends z.ZodType>(
  definition: MessageDefinition<Schema, Address>,
): MessageDefinition<Schema, Address> => definition
