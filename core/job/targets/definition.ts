import type { z } from 'zod'
import type { Beginnings } from '../beginnings'

/** Where the rows of a transfer go; engine/writing/ has the other half. */
export interface TargetDefinition<Shape extends z.ZodRawShape = z.ZodRawShape> {
  /** `a table`. */
  readonly words: string
  /** The key that names the connection. */
  readonly place: Extract<keyof Shape, string>
  /** The key that says what of it. */
  readonly what: Extract<keyof Shape, string>
  readonly shape: Shape
  /** What is wrong with the keys given, each with the key it is about. */
  readonly judge: (given: Readonly<Record<string, unknown>>) => { message: string; key: string }[]
  readonly fresh: (names: Beginnings) => Readonly<Record<string, string>>
}

export const defineTarget = <Shape extends z.ZodRawShape>(
  definition: TargetDefinition<Shape>,
): TargetDefinition<Shape> => definition
