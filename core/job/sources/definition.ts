import type { z } from 'zod'
import type { Beginnings } from '../beginnings'

/** Where the rows of a transfer come from; engine/reading/ has the other half. */
export interface SourceDefinition<Shape extends z.ZodRawShape = z.ZodRawShape> {
  /** `files of a store`. */
  readonly words: string
  /** The key that names the connection. */
  readonly place: Extract<keyof Shape, string>
  /** The key that says what of it; a source is told by its place and this. */
  readonly what: Extract<keyof Shape, string>
  readonly shape: Shape
  /** What a new one begins with. */
  readonly fresh: (names: Beginnings) => Readonly<Record<string, string>>
}

export const defineSource = <Shape extends z.ZodRawShape>(
  definition: SourceDefinition<Shape>,
): SourceDefinition<Shape> => definition
