import type { EndedAs } from '../../schedule/foreseen'
import type { z } from 'zod'
import type { Slice } from '../../slice/slices'
import type { SliceSpec } from '../../slice/spec'

/** What a start takes that is not the start of one slice. */
export type Takes = 'new' | 'newest' | 'either'

/** What of a job its starts look at. */
export interface Sliced {
  readonly slices?: SliceSpec | undefined
}

/** A time at which a start begins a run. */
export interface StartTime {
  /** Milliseconds since 1970. */
  readonly at: number
  /** The slice that it takes; undefined where those that are over by then are worked out. */
  readonly slice?: Slice
}

/** Something that happened to a run: it ended, and what it wrote is there. */
export interface Happened {
  readonly job: string
  readonly run: number
  readonly state: 'done' | 'failed' | 'stopped'
  /** The datasets that it refreshed, `connection.name`; none where it did not get done. */
  readonly refreshed: readonly string[]
}

/** What of a happening concerns a start: it begins at once, or when all of several have come. */
export type Concern = { readonly all: false } | { readonly all: true; readonly of: readonly string[]; readonly came: readonly string[] } // prettier-ignore

/** What makes a run begin; whoever adds a kind adds its line in the registry. */
export interface StartDefinition<Schema extends z.ZodType = z.ZodType> {
  /** `by the clock`, as it is offered. */
  readonly words: string
  readonly schema: Schema
  readonly fresh: unknown
  /** One that is set, in words: `at 05:30, Monday through Friday`. */
  readonly text: (given: z.output<Schema>, job: Sliced) => string
  /** What is wrong with it in its job; undefined where nothing is. */
  readonly fault?: (given: z.output<Schema>, job: Sliced & { readonly name: string }) => { path: string; message: string } | undefined // prettier-ignore
  /** Times after one and up to another that is included, at most `limit`; for those that time alone decides. */
  readonly times?: (given: z.output<Schema>, job: Sliced, after: number, until: number, limit: number) => StartTime[] // prettier-ignore
  /** Which slices it takes, where its times are not those of slices; new ones where it says nothing. */
  readonly takes?: (given: z.output<Schema>) => Takes
  /** What it is given so that one of its times (milliseconds since 1970) comes at another; undefined where it cannot be. */
  readonly moved?: (
    given: z.output<Schema>,
    at: number,
    to: number,
    zone: string,
  ) => z.input<Schema> | undefined
  /** Each of its times is for something of its own: no run makes up for others. */
  readonly apart?: true
  /** The zone of its clock, where that is another than the job's. */
  readonly zone?: (given: z.output<Schema>) => string | undefined
  /** What of a happening concerns it; `reads` are the datasets that the job read lately. */
  readonly concerns?: (given: z.output<Schema>, happened: Happened, reads: readonly string[]) => Concern | undefined // prettier-ignore
  /** The jobs whose end it waits for, or the datasets; for drawing and foreseeing it. */
  readonly follows?: (given: z.output<Schema>, reads: readonly string[]) => { readonly jobs?: readonly string[]; readonly datasets?: readonly string[]; readonly all: boolean; readonly as?: EndedAs } // prettier-ignore
}

export const defineStart = <Schema extends z.ZodType>(
  definition: StartDefinition<Schema>,
): StartDefinition<Schema> => definition
