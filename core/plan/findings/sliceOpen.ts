import { isClosed } from '../../slice/slices'
import { some } from '../../text/someOf'
import type { Rule } from './rule'

/** `slice-open`: a slice that is not over yet, so that what is loaded now is not all of it. */
export const sliceOpen: Rule = (expansion, _facts, findings) => {
  const spec = expansion.request.job.slices
  if (!spec) return
  for (const part of expansion.parts) {
    const open = new Set(
      (part.slices ?? []).flatMap((slice, i) =>
        isClosed(slice, { ...spec, grace: undefined }, expansion.request.now) ? [] : [i],
      ),
    )
    if (open.size === 0) continue
    const labels = [...open].map((i) => part.slices![i]!.label)
    const numbers = expansion.loads.flatMap((load, n) =>
      load.part === part.index && open.has(load.slice) ? [n] : [],
    )
    if (numbers.length === 0) continue
    findings.add(
      'slice-open',
      'look',
      `${some(labels)} ${labels.length === 1 ? 'is' : 'are'} not over yet; what comes later is not in ${labels.length === 1 ? 'it' : 'them'}`,
      { part: part.index, path: 'slices' },
      numbers,
    )
  }
}
