/**
 * Length of a list schedule: jobs start in the given order, each on the machine that is free first
 * (Graham, "Bounds on Multiprocessing Timing Anomalies", SIAM J. Appl. Math. 17(2), 1969).
 * @param durations of the jobs, in any unit
 * @returns the makespan in the same unit
 */
export function makespan(durations: readonly number[], machines: number): number {
  if (durations.length === 0) return 0
  // a binary heap of the times at which machines become free
  const free = new Float64Array(Math.max(1, Math.min(machines, durations.length)))
  let longest = 0
  for (const duration of durations) {
    const end = free[0]! + duration
    if (end > longest) longest = end
    let at = 0
    for (;;) {
      const left = 2 * at + 1
      if (left >= free.length) break
      const child = left + 1 < free.length && free[left + 1]! < free[left]! ? left + 1 : left
      if (free[child]! >= end) break
      free[at] = free[child]!
      at = child
    }
    free[at] = end
  }
  return longest
}

/** The p-quantile of some numbers by linear interpolation between closest ranks; NaN for none. */
export function quantile(values: readonly number[], p: number): number {
  if (values.length === 0) return NaN
  const sorted = [...values].sort((a, b) => a - b)
  const at = (sorted.length - 1) * p
  const low = Math.floor(at)
  return sorted[low]! + (at - low) * ((sorted[low + 1] ?? sorted[low]!) - sorted[low]!)
}
