import { z } from 'zod'
import { field } from '../../field/field'
import { givenKind, kindsIn, optionalKinds } from '../kinds'
import { check } from './check'
import { dataset } from './dataset'
import type { Need, WaitContext, WaitDefinition, WaitingLoad } from './definition'
import { files } from './files'
import { job } from './job'
import { previous } from './previous'

export type { Need, WaitContext } from './definition'

/** Everything that a load can wait for. */
export const waits = { job, previous, dataset, files, check }

const waitKinds = Object.keys(waits)

export const waitSchema = field(
  z.strictObject(optionalKinds(waits)).refine((wait) => kindsIn(waits, wait).length === 1, {
    message: `a wait is one of ${waitKinds.join(', ')}`,
  }),
  { oneKind: waits },
).describe('what a load waits for before it begins')

export type Wait = z.output<typeof waitSchema>

function own(wait: Wait): { kind: string; definition: WaitDefinition; given: unknown } {
  const { kind, spec } = givenKind(waits, wait)
  return { kind, definition: waits[kind] as unknown as WaitDefinition, given: spec }
}

/** A wait in words, after "waits for". */
export function waitText(wait: Wait): string {
  const { definition, given } = own(wait)
  return definition.text(given)
}

/** What is wrong with a wait in its job, with its path below the wait; undefined where nothing is. */
export function waitFault(wait: Wait, job: string): { path: string; message: string } | undefined {
  // what is no wait at all is said by its schema
  if (kindsIn(waits, wait).length !== 1) return undefined
  const { kind, definition, given } = own(wait)
  const fault = definition.fault?.(given, job)
  return fault && { ...fault, path: `${kind}.${fault.path}` }
}

/** Is what it needs another for each row? */
export function waitsPerRow(wait: Wait): boolean {
  const { definition, given } = own(wait)
  return definition.perRow(given)
}

/** The jobs that a wait names. */
export function waitJobs(wait: Wait): readonly string[] {
  const { definition, given } = own(wait)
  return definition.jobs?.(given) ?? []
}

/** The datasets that a wait names. */
export function waitDatasets(wait: Wait): readonly string[] {
  const { definition, given } = own(wait)
  return definition.datasets?.(given) ?? []
}

/** All that a load needs before it begins, each once. @throws FaultError `slices` where slices of another job cannot be cut */
export function needsOf(list: readonly Wait[], load: WaitingLoad, context: WaitContext): Need[] {
  const needs = new Map<string, Need>()
  for (const wait of list) {
    const { definition, given } = own(wait)
    for (const need of definition.needs(given, load, context)) needs.set(JSON.stringify(need), need)
  }
  return [...needs.values()]
}
