import { allSteps, listOf, type Job } from './document'
import { layOut, orderOf, type Ordered } from '../run/order'
import { rosterText } from './rosters'
import { startText } from './starts'
import { stepDefinition, stepOf, type Step, type StepKind } from './steps'
import type { Setting } from './steps/definition'

/** A job as it is read: parts and steps in order, every setting in words. */
export interface Outline {
  readonly name: string
  readonly title: string
  readonly note: string | null
  /** By when a run is to be done. */
  readonly due: string | null
  /** What makes a run begin by itself, in words. */
  readonly starts: readonly { readonly id: string; readonly text: string }[]
  readonly slices: { readonly every: string; readonly zone: string; readonly from: string } | null
  readonly parameters: readonly {
    readonly name: string
    readonly type: string
    readonly default: string | number | boolean | null
    /** Used in tries only. */
    readonly try: string | number | boolean | null
    readonly oneOf: (string | number | boolean | null)[] | null
    readonly note: string | null
    readonly required: boolean
  }[]
  readonly parts: readonly OutlinePart[]
}

/** When something begins, as it is read. */
export interface OutlineOrder {
  /** How far in it stands, so that what runs side by side stands beside each other. */
  readonly track: number
  /** How many must have ended before it, along the longest way. */
  readonly level: number
  /** Places of those it waits for, among all of the list. */
  readonly waits: readonly number[]
  readonly when: string
  readonly hold: boolean
}

export interface OutlinePart extends OutlineOrder {
  readonly index: number
  readonly id: string | null
  readonly kind: 'once' | 'each'
  readonly title: string | null
  readonly roster: string | null
  readonly atOnce: number | null
  readonly sliced: boolean
  readonly line: number
  readonly steps: readonly OutlineStep[]
}

export interface OutlineStep extends OutlineOrder {
  readonly id: string
  readonly title: string
  readonly kind: StepKind
  readonly off: boolean
  readonly note: string | null
  readonly settings: readonly Setting[]
  readonly line: number
}

/** The settings of a step in words. */
function settingsOf(step: Step): Setting[] {
  const { kind, spec } = stepOf(step)
  return stepDefinition(kind).settings?.(spec) ?? []
}

/** How a list is ordered; what is turned off stands where it would. */
function ordersOf(
  all: readonly (Ordered & { readonly when: string; readonly hold: boolean })[],
  without: (at: number) => boolean = () => false,
): OutlineOrder[] {
  const { waits } = orderOf(all, without)
  const drawn = layOut(orderOf(all).waits)
  return all.map(({ when, hold }, at) => ({ ...drawn[at]!, waits: waits[at]!, when, hold }))
}

export function outlineOf(job: Job, place: (path: string) => { line: number }): Outline {
  const parts = ordersOf(job.parts)
  return {
    name: job.name,
    title: job.title,
    note: job.note ?? null,
    slices: job.slices ? { every: job.slices.every, zone: job.slices.zone, from: job.slices.from } : null,
    due: job.due ?? null,
    starts: job.starts.map((start) => ({ id: start.id, text: startText(start, job) })),
    parameters: Object.entries(job.parameters).map(([name, parameter]) => ({
      name,
      type: parameter.type,
      default: parameter.default ?? null,
      try: parameter.try ?? null,
      oneOf: parameter.one_of ?? null,
      note: parameter.note ?? null,
      required: parameter.required,
    })),
    parts: job.parts.map((part, index) => {
      const list = listOf(part)
      const order = ordersOf(allSteps(part), (at) => allSteps(part)[at]!.off)
      return {
        index,
        id: part.id ?? null,
        ...parts[index]!,
        kind: part.once ? 'once' : 'each',
        title: part.title ?? null,
        roster: part.each ? rosterText(part.each.roster) : null,
        atOnce: part.each?.at_once ?? null,
        sliced: part.each !== undefined && part.each.slices && job.slices !== undefined,
        line: place(`parts.${index}`).line,
        steps: allSteps(part).map((step, s) => ({
          id: step.id,
          title: step.title ?? step.id,
          kind: stepOf(step).kind,
          off: step.off,
          note: step.note ?? null,
          ...order[s]!,
          settings: settingsOf(step),
          line: place(`parts.${index}.${list}.${s}`).line,
        })),
      }
    }),
  }
}
