/**
 * Edit distance that counts a swap of neighbours as one (optimal string alignment),
 * from the published recurrence: Damerau, "A technique for computer detection and correction of
 * spelling errors", CACM 7(3), 1964; dynamic programme as by Wagner and Fischer, JACM 21(1), 1974.
 */
export function editDistance(a: string, b: string): number {
  let before: number[] = []
  let last = Array.from({ length: b.length + 1 }, (_, j) => j)
  for (let i = 1; i <= a.length; i++) {
    const now = [i]
    for (let j = 1; j <= b.length; j++) {
      const same = a[i - 1] === b[j - 1] ? 0 : 1
      let best = Math.min(last[j]! + 1, now[j - 1]! + 1, last[j - 1]! + same)
      if (i > 1 && j > 1 && a[i - 1] === b[j - 2] && a[i - 2] === b[j - 1]) {
        best = Math.min(best, before[j - 2]! + 1)
      }
      now.push(best)
    }
    before = last
    last = now
  }
  return last[b.length]!
}

/** The known name most like `name`, or undefined where none is near (within a third of its length, at least 2). */
export function nearestName(name: string, known: Iterable<string>): string | undefined {
  const limit = Math.max(2, Math.floor(name.length / 3))
  let best: string | undefined
  let bestDistance = limit + 1
  for (const candidate of known) {
    if (Math.abs(candidate.length - name.length) >= bestDistance) continue
    const distance = editDistance(name.toLowerCase(), candidate.toLowerCase())
    if (distance < bestDistance) {
      best = candidate
      bestDistance = distance
    }
  }
  return best
}

/** What is said after a name that is not known: the nearest that is, or nothing. */
export function didYouMean(name: string, known: Iterable<string>): string {
  const near = nearestName(name, known)
  return near === undefined ? '' : `; did you mean "${near}"?`
}
