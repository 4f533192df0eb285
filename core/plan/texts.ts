import type { Resolved, Slot } from '../text/slot'

/** Where the texts of a part's steps stand in the list that each of its loads has: the only place that knows. */
export interface TextTable {
  readonly slots: readonly Slot[]
  /** Place of a text by its step and path; -1 where there is none. */
  at(step: string, path: string): number
}

interface Steps {
  readonly steps: readonly { readonly id: string; readonly slots: readonly Slot[] }[]
}

const tables = new WeakMap<Steps['steps'], TextTable>()

/** The table of a part's texts; made once for a list of steps. */
export function textTable({ steps }: Steps): TextTable {
  const known = tables.get(steps)
  if (known) return known
  const slots = steps.flatMap((step) => step.slots)
  const places = new Map(slots.map(({ step, path }, at) => [`${step}\n${path}`, at]))
  const table: TextTable = { slots, at: (step, path) => places.get(`${step}\n${path}`) ?? -1 }
  tables.set(steps, table)
  return table
}

/** What a load's texts came to. */
export interface LoadTexts {
  readonly resolved: readonly (Resolved | null)[]
}

/** What the text of a step at a path came to for a load; null where it has none, or it could not be resolved. */
export const textAt = (part: Steps, { resolved }: LoadTexts, step: string, path: string): Resolved | null =>
  resolved[textTable(part).at(step, path)] ?? null

/** Every text of a part with what it came to for a load, in the order of its steps. */
export const textsOf = (
  part: Steps,
  { resolved }: LoadTexts,
): { readonly slot: Slot; readonly resolved: Resolved | null }[] =>
  textTable(part).slots.map((slot, at) => ({ slot, resolved: resolved[at] ?? null }))

/** The texts of one step. */
export const textsOfStep = (part: Steps, load: LoadTexts, step: string) =>
  textsOf(part, load).filter(({ slot }) => slot.step === step)
