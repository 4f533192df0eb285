import { savingAsks, type PlannerAsks } from '../engine/planner/asks'
import type { Asked } from './handler'

type Who = Pick<Asked, 'account' | 'options' | 'response'>
type Given<K extends keyof PlannerAsks> = PlannerAsks[K] extends (engine: never, ...given: infer G) => unknown
  ? G
  : never

/** Works something out for whoever asks, until they leave; what saves something goes on. */
export function plannerOf<K extends keyof PlannerAsks>(
  { account, options, response }: Who,
  kind: K,
  ...given: Given<K>
): Promise<Awaited<ReturnType<PlannerAsks[K]>>> {
  const gone = new AbortController()
  response.once('close', () => gone.abort())
  return options.planner.ask(
    { person: String(account.id), ...(savingAsks.has(kind) ? {} : { signal: gone.signal }) },
    kind,
    ...(given as never),
  ) as never
}
