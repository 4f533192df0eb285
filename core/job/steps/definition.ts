import type { z } from 'zod'
import type { Resolved } from '../../text/slot'
import type { Beginnings } from '../beginnings'

/** A setting of a step in words, for the outline. */
export interface Setting {
  readonly label: string
  readonly text: string
}

/** What a step does to a table of a database, by the key of the connection and `schema.table`. */
export interface TableTouch {
  readonly connection: string
  readonly table: string
  readonly does: 'read' | 'write' | 'empty'
}

/** What statements do to tables, by their text; one that could not be read is not there. */
export type Statements = ReadonlyMap<
  string,
  {
    readonly reads: readonly string[]
    readonly writes: readonly string[]
    readonly empties: readonly string[]
  }
>

/** What a step does with the files of a store that it names at `from.store` and `from.files`. */
export interface TakenFiles {
  /** What a load does when there is none. */
  readonly missing: 'fail' | 'skip' | 'go-on'
  /** Are they gone afterwards? */
  readonly takesAway: boolean
  /** Is what was in them kept, so that they may be taken away? */
  readonly covers: boolean
  /** Ids of the steps that must have covered them before they are taken away. */
  readonly coveredBy: readonly string[]
}

/** Gives what a text of a step came to for a load, by its path below the kind; null where it could not be resolved. */
export type TextAt = (path: string) => Resolved | null

/** One action of a part: what is known of it without doing it. engine/steps/ has the other half. */
export interface StepDefinition<Schema extends z.ZodObject = z.ZodObject> {
  /** `rows from one place into another`. */
  readonly does: string
  /** What a done one is told by: the rows it counted, the tables it changed, that all holds, or its log. */
  readonly tells: 'rows' | 'tables' | 'files' | 'holds' | 'log'
  /** Columns of its source are mapped to those of its target. */
  readonly maps?: true
  /** Its key that holds a list of steps, by their ids. */
  readonly namesSteps?: string
  /** Id that a new one begins with. */
  readonly firstId: string
  /** Its keys; those made by `template` hold expressions. */
  readonly schema: Schema
  /** What a new one is given, as it is written into the document. */
  readonly fresh: (names: Beginnings) => string
  /** What it is set to, in words. */
  readonly settings?: (given: z.output<Schema>) => Setting[]
  /** It follows the slice by itself, though no text of it names the slice. */
  readonly followsSlice?: (given: z.output<Schema>) => boolean
  /** Done a second time, does it bring what it brought before once more? */
  readonly bringsTwice?: (given: z.output<Schema>) => boolean
  /** What it does with files of a store; undefined where it takes none. */
  readonly takesFiles?: (given: z.output<Schema>) => TakenFiles | undefined
  /** The name of another job that it runs, as it is written. */
  readonly calls?: (given: z.output<Schema>) => string
  /** What it does to tables for one load, as far as that is known before it runs. */
  readonly tables?: (text: TextAt, statements: Statements) => TableTouch[]
}

export const defineStep = <Schema extends z.ZodObject>(
  definition: StepDefinition<Schema>,
): StepDefinition<Schema> => definition
