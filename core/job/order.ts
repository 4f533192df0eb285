import { ancestorsOf, orderOf, type Order } from '../run/order'
import { activeSteps, allSteps, type Job, type Part } from './document'

/** Which parts of a job wait for which. */
export const partOrder = (job: Pick<Job, 'parts'>): Order => orderOf(job.parts)

/** Which steps of a part wait for which, by their places among those that are not turned off. */
export function stepWaits(part: Part): Order['waits'] {
  const all = allSteps(part)
  const place = new Map(activeSteps(part).map((step, i) => [step, i]))
  return orderOf(all, (at) => all[at]!.off).waits.flatMap((list, at) =>
    all[at]!.off ? [] : [list.map((before) => place.get(all[before]!)!)],
  )
}

/** What a text of a step may speak of: the steps and parts that have ended before it. */
export interface Earlier {
  /** Ids of the steps before it in its part, and of those that run once in the parts before. */
  readonly steps: readonly string[]
  readonly parts: readonly string[]
}

/** What each step of a job may speak of, by part and by the place of the step; at `own` what the part itself may. */
export function earlierOf(
  job: Pick<Job, 'parts'>,
): { readonly own: Earlier; readonly steps: readonly Earlier[] }[] {
  const before = ancestorsOf(partOrder(job).waits)
  return job.parts.map((part, at) => {
    const parts = [...before[at]!].sort((a, b) => a - b).map((index) => job.parts[index]!)
    const own: Earlier = {
      steps: parts.flatMap((one) => (one.once ? activeSteps(one).map(({ id }) => id) : [])),
      parts: parts.flatMap(({ id }) => id ?? []),
    }
    const steps = activeSteps(part)
    const above = ancestorsOf(stepWaits(part))
    return {
      own,
      steps: steps.map((_step, s) => ({
        ...own,
        steps: [...own.steps, ...[...above[s]!].sort((a, b) => a - b).map((index) => steps[index]!.id)],
      })),
    }
  })
}

/** Has one step of a job ended whenever another begins? */
export function comesBefore(job: Pick<Job, 'parts'>) {
  const parts = ancestorsOf(partOrder(job).waits)
  const steps = job.parts.map((part) => ancestorsOf(stepWaits(part)))
  const places = job.parts.map((part) => new Map(activeSteps(part).map(({ id }, i) => [id, i])))
  return (a: StepAt, b: StepAt): boolean =>
    a.part === b.part
      ? (steps[b.part]![places[b.part]!.get(b.step)!]?.has(places[a.part]!.get(a.step)!) ?? false)
      : parts[b.part]!.has(a.part)
}

/** A step by its part and its id. */
export interface StepAt {
  readonly part: number
  readonly step: string
}
