import type { z } from 'zod'

/** Something that must hold of rows; engine/checks/ has the other half. */
export interface CheckDefinition<Schema extends z.ZodType = z.ZodType> {
  /** `one row per`, as it is offered. */
  readonly words: string
  readonly schema: Schema
  /** One that is set, in words. */
  readonly text: (given: z.output<Schema>) => string
  /** What a new one begins with. */
  readonly fresh: unknown
}

export const defineCheck = <Schema extends z.ZodType>(
  definition: CheckDefinition<Schema>,
): CheckDefinition<Schema> => definition
