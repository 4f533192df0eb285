import type { z } from 'zod'
import type { RosterContext } from '../../roster/context'
import type { Table } from '../../value'

/** A kind of list to loop over; engine/planning/rosters/ has the other half of those that must be read. */
export interface RosterDefinition<Schema extends z.ZodType = z.ZodType, Source = unknown> {
  /** `rows of a control table`. */
  readonly words: string
  readonly schema: Schema
  /** One that is set, in words. */
  readonly text: (given: z.output<Schema>) => string
  /** What a new one is given. */
  readonly fresh: z.input<Schema>
  /** Every text of it that may hold expressions, as it is written. */
  readonly texts: (given: z.output<Schema>) => readonly unknown[]
  /** Where its rows come from, with every text resolved; for those that the engine reads. */
  readonly source?: (given: z.output<Schema>, context: RosterContext) => Source
  /** Its rows, for those that need no reading. */
  readonly table?: (given: z.output<Schema>, context: RosterContext) => Table
  /** What of a connection its rows show, as it is written: a text of SQL, or the place of a file. */
  readonly shows?: (given: z.output<Schema>) => {
    readonly connection: string
    readonly sql?: string
    readonly path?: string
  }
  /** Said of it in every plan. */
  readonly note?: (given: z.output<Schema>, rows: number) => string
}

export const defineRoster = <Schema extends z.ZodType, Source = never>(
  definition: RosterDefinition<Schema, Source>,
): RosterDefinition<Schema, Source> => definition
