import { z } from 'zod'
import { field, scalar } from '../../field/field'
import { identifier } from '../identifier'
import { givenKind, kindsIn, optionalKinds } from '../kinds'
import { arrived } from './arrived'
import { called } from './called'
import { clock } from './clock'
import type { Concern, Happened, Sliced, StartDefinition, StartTime, Takes } from './definition'
import { ended } from './ended'
import { refreshed } from './refreshed'
import { slice } from './slice'

export type { Concern, Happened, StartTime } from './definition'

/** Everything that makes a run begin, but a person. */
export const starts = { clock, slice, ended, refreshed, arrived, called }

export type StartKind = keyof typeof starts
export const startKinds = Object.keys(starts) as StartKind[]

/** What becomes of starts whose time went by while nothing could begin them. */
export const missedWays = ['once', 'each', 'skip'] as const
export type Missed = (typeof missedWays)[number]

export const startSchema = field(
  z
    .strictObject({
      id: field(identifier, { label: 'name' }).describe('names the start'),
      ...optionalKinds(starts),
      missed: field(z.enum(missedWays), {
        rare: true,
        words: {
          once: 'made up for by one run',
          each: 'each of them begins',
          skip: 'left out',
        },
      })
        .default('once')
        .describe('starts whose time went by while Mattock was away or the start was paused'),
      parameters: field(z.record(identifier, scalar), { rare: true })
        .optional()
        .describe('values for the parameters of its runs'),
    })
    .refine((start) => kindsIn(starts, start).length === 1, { message: `a start is one of ${startKinds.join(', ')}` }),
  { oneKind: starts },
).describe('makes a run begin by itself') // prettier-ignore

export type Start = z.output<typeof startSchema>

/** The definition of a start, and what it is given. */
function own(start: Start): { kind: StartKind; definition: StartDefinition; given: unknown } {
  const { kind, spec } = givenKind(starts, start)
  return { kind, definition: starts[kind] as unknown as StartDefinition, given: spec }
}

export const startKind = (start: Start): StartKind => own(start).kind

/** A start in words. */
export function startText(start: Start, job: Sliced): string {
  const { definition, given } = own(start)
  return definition.text(given, job)
}

/** What is wrong with a start in its job, with its path below the start; undefined where nothing is. */
export function startFault(start: Start, job: Sliced & { readonly name: string }): { path: string; message: string } | undefined {
  // what is no start at all is said by its schema
  if (kindsIn(starts, start).length !== 1) return undefined
  const { kind, definition, given } = own(start)
  const fault = definition.fault?.(given, job)
  return fault && { ...fault, path: fault.path === '' ? kind : `${kind}.${fault.path}` }
} // prettier-ignore

/** The zone whose clock a start goes by. */
export function startZone(start: Start, job: Sliced): string {
  const { definition, given } = own(start)
  return definition.zone?.(given) ?? job.slices?.zone ?? 'UTC'
}

/** Which slices a start takes that is not the start of one slice. */
export function startTakes(start: Start): Takes {
  const { definition, given } = own(start)
  return definition.takes?.(given) ?? 'new'
}

/** Can a start be moved to another time of the day? */
export const canMove = (kind: StartKind): boolean => starts[kind].moved !== undefined

/**
 * What a start is given so that one of its times comes at another (milliseconds since 1970); undefined where it cannot be
 * moved there: a rule with several times a day, a time on another day, a slice before it is over.
 */
export function movedTo(kind: StartKind, given: unknown, at: number, to: number, zone: string): Readonly<Record<string, unknown>> | undefined {
  const { moved, schema } = starts[kind] as unknown as StartDefinition
  return moved?.(schema.parse(given), at, to, zone) as Readonly<Record<string, unknown>> | undefined
} // prettier-ignore

/** What becomes of times of a start that went by while it was paused, or nothing could begin it. */
export function missedWay(start: Start): Missed {
  const { definition } = own(start)
  return definition.apart && start.missed === 'once' ? 'each' : start.missed
}

/** Does time alone decide when it begins? */
export const isTimed = (start: Start): boolean => own(start).definition.times !== undefined

/**
 * When a start begins, after a time and up to another that is included (milliseconds since 1970), in order; nothing for
 * those that wait for something to happen.
 */
export function startTimes(start: Start, job: Sliced, after: number, until: number, limit = Infinity): StartTime[] {
  const { definition, given } = own(start)
  return definition.times?.(given, job, after, until, limit) ?? []
} // prettier-ignore

/** What of a happening concerns a start. */
export function startConcern(
  start: Start,
  happened: Happened,
  reads: readonly string[],
): Concern | undefined {
  const { definition, given } = own(start)
  return definition.concerns?.(given, happened, reads)
}

/** What a start follows: jobs that end, or datasets that are refreshed; undefined for those that go by time. */
export function startFollows(start: Start, reads: readonly string[]) {
  const { definition, given } = own(start)
  return definition.follows?.(given, reads)
}

/** What a start of one kind is given. @throws Error where it is of another */
export function startOf<K extends StartKind>(kind: K, start: Start): z.output<(typeof starts)[K]['schema']> {
  const { kind: own, spec } = givenKind(starts, start)
  if (own !== kind) throw new Error(`${start.id} is no start of kind ${kind}`)
  return spec as never
} // prettier-ignore
