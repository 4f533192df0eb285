import { comparePlans, loadChanges, type Comparison, type SlotChange } from './compare'
import type { Finding, Plan } from './types'

/** What a change does to the loads of a job. */
export interface Effect {
  readonly added: number
  readonly gone: number
  readonly changed: number
  readonly same: number
  /** Keys of the first loads. */
  readonly addedKeys: readonly string[]
  readonly goneKeys: readonly string[]
  readonly changes: readonly { readonly key: string; readonly texts: readonly SlotChange[] }[]
  /** What changes, over all loads that do. */
  readonly texts: Comparison['texts']
  /** Findings that there were not, and those that there are not any more. */
  readonly come: readonly Finding[]
  readonly go: readonly Finding[]
}

/** Examples that are named of each kind. */
const most = 20

export function effectOf(before: Plan, after: Plan): Effect {
  const { added, gone, changed, same, texts } = comparePlans(before, after)
  return {
    added: added.length,
    gone: gone.length,
    changed: changed.length,
    same,
    addedKeys: added.slice(0, most).map((number) => after.loads[number]!.key),
    goneKeys: gone.slice(0, most).map((number) => before.loads[number]!.key),
    changes: changed.slice(0, most).map((pair) => ({
      key: after.loads[pair.after]!.key,
      texts: loadChanges(before, after, pair),
    })),
    texts,
    come: without(after.findings, before.findings),
    go: without(before.findings, after.findings),
  }
}

const without = (list: readonly Finding[], others: readonly Finding[]): Finding[] => {
  const known = new Set(others.map(identity))
  return list.filter((finding) => !known.has(identity(finding)))
}

const identity = ({ code, message, where }: Finding): string =>
  [code, message, where.part, where.step, where.path].join('\n')
