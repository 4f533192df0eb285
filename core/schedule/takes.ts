import { Temporal } from 'temporal-polyfill'
import { isTimed, startTimes, type Start, type StartTime } from '../job/starts'
import type { Takes } from '../job/starts/definition'
import { newestClosed, slicesBetween, withRestated, type Slice } from '../slice/slices'
import type { SliceSpec } from '../slice/spec'

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

/** Days that are looked back over for the last time of a start, the shorter first: most come daily. */
const looks = [1, 8, 32, 370]

/**
 * The newest slice that should have been taken up by a time: the newest that its starts have come for, or, of a job that
 * time does not begin, the newest whose grace has gone by; undefined where there is none.
 */
export function newestDue(job: { readonly slices?: SliceSpec | undefined; readonly starts: readonly Start[] }, now: number): Slice | undefined {
  const { slices: spec } = job
  if (!spec) return undefined
  const timed = job.starts.filter(isTimed)
  if (timed.length === 0) {
    const grace = Temporal.Instant.fromEpochMilliseconds(now).toZonedDateTimeISO(spec.zone).subtract(spec.grace ?? 'PT0S')
    return newestClosed(spec, grace.toInstant().toString())
  }
  const due = timed.flatMap((start) => {
    const last = lastTime(start, job, now)
    return last ? (last.slice ?? newestClosed(spec, new Date(last.at).toISOString()) ?? []) : []
  })
  return due.sort((a, b) => Date.parse(a.to) - Date.parse(b.to)).at(-1)
} // prettier-ignore

function lastTime(
  start: Start,
  job: { readonly slices?: SliceSpec | undefined },
  now: number,
): StartTime | undefined {
  for (const days of looks) {
    const last = startTimes(start, job, now - days * 86_400_000, now).at(-1)
    if (last) return last
  }
  return undefined
}

/** The span from the first of some slices to the last, as plans are asked with it. */
export const spanOf = (slices: readonly Slice[]): { from: string; to: string } => ({
  from: slices[0]!.from,
  to: slices.at(-1)!.to,
})
