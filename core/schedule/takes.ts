import { newestClosed, slicesBetween, withRestated, type Slice } from '../slice/slices'
import type { SliceSpec } from '../slice/spec'

/** What a start takes that is not the start of one slice. */
export type Takes = 'new' | 'newest' | 'either'

/**
 * The slices that a run takes which begins at a time: each that is over since those that were taken before it; the newest
 * alone where nothing was taken yet, or where the start takes the newest again. Before them what is restated.
 * @param taken end of the newest slice that an earlier start took; undefined where none did
 * @returns nothing where no slice is over that it would take
 * @throws FaultError `slices`
 */
export function slicesToTake(spec: SliceSpec, takes: Takes, at: number, taken: string | undefined): Slice[] {
  const newest = newestClosed(spec, new Date(at).toISOString())
  if (!newest) return []
  const isNew = taken === undefined || Date.parse(newest.to) > Date.parse(taken)
  if (!isNew && takes === 'new') return []
  // one that changed its slices may have gaps and overlaps with what was taken: whole slices after it count
  const since = !isNew || taken === undefined || takes === 'newest' ? [newest] : slicesBetween(spec, taken, newest.to)
  return withRestated(spec, since.length > 0 ? since : [newest])
} // prettier-ignore

/** The span from the first of some slices to the last, as plans are asked with it. */
export const spanOf = (slices: readonly Slice[]): { from: string; to: string } => ({
  from: slices[0]!.from,
  to: slices.at(-1)!.to,
})
