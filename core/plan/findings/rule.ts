import type { Gatherer } from '../gather'
import type { Expansion, Facts } from '../types'

/** Looks at a whole plan with what was found out, and says what it finds. */
export type Rule = (expansion: Expansion, facts: Facts, findings: Gatherer) => void

/** Loads that a finding concerns, gathered by what they have in common. */
export interface LoadGroup<T> {
  readonly about: T
  readonly numbers: number[]
  readonly keys: string[]
}

export function loadGroups<T>() {
  const groups = new Map<string, LoadGroup<T>>()
  return {
    /** Puts a load into the group `id`; `about` is asked for once a group. */
    add(id: string, { number, load }: { number: number; load: { key: string } }, about: () => T) {
      let group = groups.get(id)
      if (!group) groups.set(id, (group = { about: about(), numbers: [], keys: [] }))
      group.numbers.push(number)
      group.keys.push(load.key)
    },
    list: (): LoadGroup<T>[] => [...groups.values()],
  }
}
