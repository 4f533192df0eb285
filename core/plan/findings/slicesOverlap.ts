import { some } from '../../text/someOf'
import type { Rule } from './rule'

/**
 * `slices-overlap`: slices that cut across spans that were loaded before, as after a change of `every`, or that leave
 * a gap between what was loaded and what will be.
 */
export const slicesOverlap: Rule = (expansion, facts, findings) => {
  const loaded = facts.before?.slices ?? []
  if (loaded.length === 0) return
  const same = new Set(loaded.map(({ from, to }) => `${from}/${to}`))
  const sorted = [...loaded].sort((a, b) => (a.from < b.from ? -1 : 1))
  const newest = loaded.reduce((last, { to }) => (to > last ? to : last), '')
  for (const part of expansion.parts) {
    const slices = part.slices
    if (!slices || slices.length === 0) continue
    const where = { part: part.index, path: 'slices' }
    const across = slices.flatMap((slice, i) =>
      !same.has(`${slice.from}/${slice.to}`) && overlaps(sorted, slice) ? [i] : [],
    )
    if (across.length > 0) {
      const numbers = new Set(across)
      findings.add(
        'slices-overlap',
        'look',
        `${some(across.map((i) => slices[i]!.label))} ${across.length === 1 ? 'covers' : 'cover'} time that was loaded before in other slices`,
        where,
        expansion.loads.flatMap((load, n) =>
          load.part === part.index && numbers.has(load.slice) ? [n] : [],
        ),
      )
    }
    const first = slices.reduce((least, { from }) => (from < least ? from : least), slices[0]!.from)
    if (first > newest)
      findings.add(
        'slices-overlap',
        'look',
        `what was loaded ends at ${newest}, the first slice here begins at ${first}: what lies between is not loaded`,
        where,
      )
  }
}

interface Span {
  readonly from: string
  readonly to: string
}

/** Do any of the spans, sorted by their start, share time with a slice? ISO instants in UTC compare as text. */
function overlaps(sorted: readonly Span[], slice: Span): boolean {
  let low = 0
  let high = sorted.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (sorted[middle]!.from < slice.to) low = middle + 1
    else high = middle
  }
  // spans before it that reach into it: usually the last one or two
  for (let i = low - 1; i >= 0 && i >= low - 64; i--) if (sorted[i]!.to > slice.from) return true
  return false
}
