import { quantile } from '../forecast/quantile'
import { randomStream } from '../forecast/random'
import type { Foreseen, Night, Rehearsed } from './foreseen'
import { Stage, type PlayedRun } from './play'

/** Draws that are worth their time; of a night of very many loads one, whose ends are told without a spread. */
const drawsFor = (loads: number): number => Math.max(1, Math.min(21, Math.floor(60_000 / Math.max(1, loads))))

/**
 * Plays a night through: each start at its time, each load with a length drawn from those of like loads (a bootstrap
 * after Efron, 1979), taken up by list scheduling under the caps (Graham, 1969); what waits for a job or a dataset begins
 * when that is played to its end, and loads that wait for the slices of another job when that has played those. Loads fail where
 * they wait no longer, and what waits for them is not done; any other load ends well. The same night gives the same.
 */
export function rehearse(night: Night): Rehearsed {
  const loads = night.jobs.reduce((sum, job) => sum + job.times.length * job.parts.reduce((all, { loads: own }) => all + own, 0), 0) // prettier-ignore
  const draws = drawsFor(loads)
  const random = randomStream(loads + 1)
  const stage = new Stage(night)
  const played = Array.from({ length: draws }, () => stage.play(random))
  // the draw whose end is the middle one tells the order; ends are those of all draws
  const [first] = played
  const middle = [...played].sort((a, b) => total(a) - total(b))[draws >> 1] ?? first!
  // of very many runs each copy counts
  if (draws === 1)
    return { ...middle, runs: middle.runs.map((one) => ranged(one, one.ends, one.ends, one.ends)) }
  const endsOf = new Map<string, number[]>()
  for (const { runs } of played)
    for (const one of runs) {
      const ends = endsOf.get(one.id)
      if (ends) ends.push(one.ends)
      else endsOf.set(one.id, [one.ends])
    }
  return {
    ...middle,
    runs: middle.runs.map((one) => {
      const ends = endsOf.get(one.id)!.sort((a, b) => a - b)
      return ranged(one, quantile(ends, 0.1), quantile(ends, 0.5), quantile(ends, 0.9))
    }),
  }
}

const ranged = (
  { job, start, label, at, begins, after, unknown, run, began, refused, stuck, givesUp }: PlayedRun,
  low: number,
  ends: number,
  high: number,
): Foreseen => ({
  job,
  start,
  label,
  at,
  begins,
  ends,
  low,
  high,
  after,
  unknown,
  run,
  began,
  refused,
  stuck,
  givesUp,
})

const total = ({ runs }: { readonly runs: readonly { ends: number }[] }): number =>
  runs.reduce((sum, { ends }) => sum + ends, 0)
