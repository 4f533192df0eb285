import { ancestorsOf, type Order } from './order'

/** Where the loads of a rerun begin: at one step by its id, or, of each, at the one that failed; or the one step they do. */
export type RerunFrom = { readonly step: string } | { readonly failed: true } | { readonly only: string }

/**
 * Which steps of a load a rerun does again; the others are kept as they were done. That is the step it begins at and all that
 * wait for it, directly or through others, and whatever was not done. A load without that step is done again from its first.
 * @param waits for each step, the places of those it waits for
 * @param ids the steps' ids, by place
 * @param done by place, whether the step was done by the load that is repeated
 */
export function stepsAgain(
  waits: Order['waits'],
  ids: readonly string[],
  done: readonly boolean[],
  from: RerunFrom,
): boolean[] {
  if ('only' in from) return ids.map((id) => id === from.only)
  const first = 'step' in from ? ids.indexOf(from.step) : -1
  if ('step' in from && first < 0) return ids.map(() => true)
  const begins = ids.map((_id, at) => at === first || !done[at])
  return ancestorsOf(waits).map((above, at) => begins[at]! || [...above].some((one) => begins[one]))
}

/**
 * The parts whose loads a rerun from a step brings back: the step's own, and those that wait for it, directly or through
 * others. None where no part has the step.
 */
export function partsAgain(
  waits: Order['waits'],
  ids: readonly (readonly string[])[],
  step: string,
): number[] {
  const first = ids.findIndex((steps) => steps.includes(step))
  if (first < 0) return []
  return ancestorsOf(waits).flatMap((above, at) => (at === first || above.has(first) ? [at] : []))
}
