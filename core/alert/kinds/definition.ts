import type { z } from 'zod'

/** What a rule tells of; engine/alerts/ has the other half. */
export interface TellingDefinition<Schema extends z.ZodType = z.ZodType> {
  /** `matters as they come`, as it is offered. */
  readonly words: string
  readonly schema: Schema
  /** In words, with the zone that it goes by. */
  readonly text: (given: z.output<Schema>, zone: string) => string
  readonly fresh: unknown
}

export const defineTelling = <Schema extends z.ZodType>(
  definition: TellingDefinition<Schema>,
): TellingDefinition<Schema> => definition
