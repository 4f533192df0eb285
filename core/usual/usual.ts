/** The middle of some values; of an even number the mean of the two in the middle. Undefined where there are none. */
export function median(values: readonly number[]): number | undefined {
  if (values.length === 0) return undefined
  const sorted = [...values].sort((a, b) => a - b)
  const half = sorted.length >> 1
  return sorted.length % 2 ? sorted[half]! : (sorted[half - 1]! + sorted[half]!) / 2
}

/**
 * How far a value is from others: the modified z-score of Iglewicz and Hoaglin (1993), 0.6745 (x − median) / MAD, as the
 * NIST/SEMATECH e-Handbook of Statistical Methods gives it (1.3.5.17). Where more than half of the others are the same, so
 * that the median of the deviations (MAD) is 0, their mean stands in for it, with 1.253314, as the authors advise.
 * @returns undefined where there are no others; Infinity where all others are the same and this one is not
 */
export function modifiedZScore(value: number, others: readonly number[]): number | undefined {
  const middle = median(others)
  if (middle === undefined) return undefined
  const deviations = others.map((other) => Math.abs(other - middle))
  const spread = median(deviations)!
  if (spread > 0) return (0.6745 * (value - middle)) / spread
  const mean = deviations.reduce((sum, one) => sum + one, 0) / deviations.length
  if (mean > 0) return (value - middle) / (1.253314 * mean)
  return value === middle ? 0 : Math.sign(value - middle) * Infinity
}

/** From here on a value is far from usual (the same source). */
const far = 3.5
/** Fewer before it say nothing. */
const fewest = 5
/** A share by which it must differ besides: rows that are always as many make a single one more an outlier. */
const least = 0.25

/** What is told of a number of rows that is not as usual: none where there usually are some, far fewer, or far more. */
export type Unusual = 'none' | 'fewer' | 'more'

/** Is a number of rows far from those before it? Undefined where it is as usual, or too few are known. */
export function unusual(rows: number, before: readonly number[]): Unusual | undefined {
  if (before.length < fewest) return undefined
  const middle = median(before)!
  if (rows === 0) return middle > 0 && before.filter((one) => one === 0).length * 4 < before.length ? 'none' : undefined
  const score = modifiedZScore(rows, before)!
  if (Math.abs(score) <= far || Math.abs(rows - middle) < least * middle) return undefined
  return score < 0 ? 'fewer' : 'more'
} // prettier-ignore
