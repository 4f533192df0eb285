import type { Caps, Workload } from '../forecast/forecast'
import type { Expansion, Facts } from './types'
import { connectionNames } from './view'

/** Names each distinct thing by a number, in the order of their first use. */
export function numbering<T>(): { of: (id: string, make: () => T) => number; list: T[] } {
  const ids = new Map<string, number>()
  const list: T[] = []
  return {
    list,
    of(id, make) {
      const known = ids.get(id)
      if (known !== undefined) return known
      ids.set(id, list.length)
      return list.push(make()) - 1
    },
  }
}

/** The loads of a plan as the forecast sees them: like loads are those of the same roster row. */
export function workloadOf(
  expansion: Pick<Expansion, 'parts' | 'loads'>,
  history: Facts['history'],
): Workload {
  const count = expansion.loads.length
  const like = numbering<readonly number[]>()
  const uses = numbering<readonly string[]>()
  const part = new Uint16Array(count)
  const likeOf = new Uint32Array(count)
  const usesOf = new Uint32Array(count)
  const names = connectionNames(expansion)
  // loads of a row share their list, so that its text is made once a row
  const numbered = new Map<readonly string[], number>()
  for (let i = 0; i < count; i++) {
    const load = expansion.loads[i]!
    part[i] = load.part
    const row = load.row >= 0 ? expansion.parts[load.part]!.roster!.rows[load.row]!.key : load.key
    likeOf[i] = like.of(row, () => history.get(row) ?? [])
    const used = names[i]!
    let place = numbered.get(used)
    if (place === undefined) numbered.set(used, (place = uses.of(used.join('\n'), () => used)))
    usesOf[i] = place
  }
  return {
    part,
    partAfter: expansion.parts.map(({ waits }) => waits),
    likeOf,
    usesOf,
    like: like.list,
    any: history.get('') ?? [],
    connections: uses.list,
  }
}

/** The caps under which a plan runs as things are. */
export function capsOf(
  expansion: Pick<Expansion, 'parts'>,
  facts: Pick<Facts, 'connections' | 'workers'>,
): Caps {
  return {
    atOnce: Object.fromEntries(expansion.parts.map(({ index, atOnce }) => [index, atOnce])),
    workers: facts.workers,
    connections: Object.fromEntries(Object.entries(facts.connections).map(([name, { cap }]) => [name, cap])),
  }
}
