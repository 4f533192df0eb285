import type { z } from 'zod'

/** Something that must hold of rows; engine/checks/ has the other half. */
export interface CheckDefinition<Schema extends z.ZodType = z.ZodType> {
  /** `one row per`, as it is offered. */
  readonly words: string
  readonly schema: Schema
  /** One that is set, in words. */
  readonly text: (given: z.output<Schema>) => string
  /** It speaks of all rows together, and so not of some of them. */
  readonly ofAll?: true
  /** What a new one begins with. */
  readonly fresh: unknown
}

export const defineCheck = <Schema extends z.ZodType>(
  definition: CheckDefinition<Schema>,
): CheckDefinition<Schema> => definition
