import type { z } from 'zod'
import type { Slice } from '../../slice/slices'
import type { SliceSpec } from '../../slice/spec'

/** A slice of a job, or of one row of it, that must be loaded. */
export interface SliceNeed {
  readonly kind: 'slice'
  readonly job: string
  /** Null: every row of it. */
  readonly row: string | null
  readonly from: string
  readonly to: string
  readonly label: string
}

/** A dataset, `connection.name`, that must have been refreshed since a time (ISO 8601). */
export interface RefreshNeed {
  readonly kind: 'refresh'
  readonly dataset: string
  readonly since: string
}

/** The files that the load's own steps read must be there. */
export interface FilesNeed {
  readonly kind: 'files'
  /** A file is there when one of its name and this ending is, too; undefined where it counts as soon as it no longer grows. */
  readonly marker: string | undefined
}

/** A step of a job, such as a check, that must be done for all rows of a slice. */
export interface CheckNeed {
  readonly kind: 'check'
  readonly job: string
  /** The place of the part that has the step; -1 where the job has none such. */
  readonly part: number
  readonly step: string
  readonly from: string
  readonly to: string
  readonly label: string
}

export type Need = SliceNeed | RefreshNeed | FilesNeed | CheckNeed

/** What is known of other jobs where it is worked out what a load waits for. */
export interface WaitContext {
  /** Name of the job whose load waits. */
  readonly job: string
  /** How the data time of a job is cut; undefined where it is not cut, or there is no such job. */
  readonly slicesOf: (job: string) => SliceSpec | undefined
  /** The place of the part of a job that goes through slices and has a step; undefined where none does. */
  readonly partOf: (job: string, step: string) => number | undefined
  /** The jobs with slices that lately wrote a dataset, `connection.name`. */
  readonly writersOf: (dataset: string) => readonly string[]
}

/** A load that waits. */
export interface WaitingLoad {
  readonly row: string
  readonly slice: Slice
}

/** What a load waits for; whoever adds a kind adds its line in the registry. */
export interface WaitDefinition<Schema extends z.ZodType = z.ZodType> {
  /** `for another job`, as it is offered. */
  readonly words: string
  readonly schema: Schema
  readonly fresh: unknown
  /** One that is set, in words, after "waits for": `the same slices of gauge-readings`. */
  readonly text: (given: z.output<Schema>) => string
  /** What is wrong with it in its job; undefined where nothing is. */
  readonly fault?: (given: z.output<Schema>, job: string) => { path: string; message: string } | undefined
  /** What it needs is another for each row; else it is the same for all rows of a slice. */
  readonly perRow: (given: z.output<Schema>) => boolean
  /** Jobs that it names. */
  readonly jobs?: (given: z.output<Schema>) => readonly string[]
  /** Datasets that it names, `connection.name`. */
  readonly datasets?: (given: z.output<Schema>) => readonly string[]
  /** What a load needs; nothing where it need not wait. */
  readonly needs: (given: z.output<Schema>, load: WaitingLoad, context: WaitContext) => readonly Need[]
}

export const defineWait = <Schema extends z.ZodType>(definition: WaitDefinition<Schema>): WaitDefinition<Schema> => definition // prettier-ignore
