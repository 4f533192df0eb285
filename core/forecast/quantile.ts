/** The p-quantile of some numbers by linear interpolation between closest ranks; NaN for none. */
export function quantile(values: readonly number[], p: number): number {
  if (values.length === 0) return NaN
  const sorted = [...values].sort((a, b) => a - b)
  const at = (sorted.length - 1) * p
  const low = Math.floor(at)
  return sorted[low]! + (at - low) * ((sorted[low + 1] ?? sorted[low]!) - sorted[low]!)
}
