/** Something that is done in an order: a part of a job, or a step of a part. */
export interface Ordered {
  /** What it is called where others wait for it. */
  readonly id?: string | undefined
  /** Ids of those it waits for; the one before it where it is left out. */
  readonly after?: readonly string[] | undefined
}

/** A fault of an order, at the place of the one that has it. */
export interface OrderFault {
  readonly at: number
  readonly kind: 'unknown' | 'itself' | 'circle'
  /** The id that is not there, or those that wait on each other, in their order. */
  readonly ids: readonly string[]
}

export interface Order {
  /** For each, the places of those it waits for, ascending. One with a fault waits for what is left of its list. */
  readonly waits: readonly (readonly number[])[]
  readonly faults: readonly OrderFault[]
}

/**
 * Who waits for whom. `without` are not there (steps that are turned off): whoever waits for one waits for what that one
 * would have waited for.
 */
export function orderOf(all: readonly Ordered[], without: (at: number) => boolean = () => false): Order {
  const places = new Map<string, number>()
  all.forEach(({ id }, at) => {
    if (id !== undefined && !places.has(id)) places.set(id, at)
  })
  const faults: OrderFault[] = []
  const said = all.map(({ id, after }, at): number[] => {
    if (after === undefined) return at > 0 ? [at - 1] : []
    return after.flatMap((name) => {
      const place = places.get(name)
      if (place === undefined) faults.push({ at, kind: 'unknown', ids: [name] })
      else if (place === at) faults.push({ at, kind: 'itself', ids: [id!] })
      else return place
      return []
    })
  })
  for (const circle of circlesIn(said)) {
    faults.push({ at: circle[0]!, kind: 'circle', ids: circle.map((at) => all[at]!.id ?? String(at + 1)) })
    // so that what follows can be worked out, those of a circle wait for what stands above them only
    for (const at of circle) said[at] = said[at]!.filter((before) => before < at || !circle.includes(before))
  }
  const through = (at: number, seen: Set<number>): number[] =>
    said[at]!.flatMap((before) => {
      if (seen.has(before)) return []
      seen.add(before)
      return without(before) ? through(before, seen) : [before]
    })
  return {
    waits: all.map((_one, at) => (without(at) ? [] : through(at, new Set()).sort((a, b) => a - b))),
    faults: faults.sort((a, b) => a.at - b.at),
  }
}

/**
 * Those that wait on each other in a circle, each circle once, from its first on: the strongly connected components of more
 * than one (Tarjan, "Depth-first search and linear graph algorithms", SIAM J. Comput. 1, 1972).
 */
function circlesIn(waits: readonly (readonly number[])[]): number[][] {
  const index = new Map<number, number>()
  const low = new Map<number, number>()
  const stack: number[] = []
  const found: number[][] = []
  const visit = (at: number) => {
    index.set(at, index.size)
    low.set(at, index.get(at)!)
    stack.push(at)
    for (const next of waits[at]!) {
      if (!index.has(next)) {
        visit(next)
        low.set(at, Math.min(low.get(at)!, low.get(next)!))
      } else if (stack.includes(next)) low.set(at, Math.min(low.get(at)!, index.get(next)!))
    }
    if (low.get(at) !== index.get(at)) return
    const group = stack.splice(stack.indexOf(at))
    if (group.length > 1) found.push(group.sort((a, b) => a - b))
  }
  waits.forEach((_list, at) => {
    if (!index.has(at)) visit(at)
  })
  return found
}

/** For each, all it waits for, directly and through others. */
export function ancestorsOf(waits: Order['waits']): ReadonlySet<number>[] {
  const found: (Set<number> | undefined)[] = waits.map(() => undefined)
  const of = (at: number): Set<number> => {
    const known = found[at]
    if (known) return known
    const all = new Set<number>()
    found[at] = all
    for (const before of waits[at]!) {
      all.add(before)
      for (const further of of(before)) all.add(further)
    }
    return all
  }
  return waits.map((_list, at) => of(at))
}

/**
 * How an order is drawn: `track` is how far in each stands, so that what runs side by side stands beside each other, and
 * `level` how many must have ended before it can begin, along the longest way.
 */
export function layOut(waits: Order['waits']): { readonly track: number; readonly level: number }[] {
  const level: number[] = waits.map(() => -1)
  const levelOf = (at: number): number => {
    if (level[at]! < 0)
      level[at] = waits[at]!.reduce((most, before) => Math.max(most, levelOf(before) + 1), 0)
    return level[at]!
  }
  /** The last one that stands on each track. */
  const ends: number[] = []
  const track: number[] = []
  waits.forEach((before, at) => {
    // it goes on where the first that it waits for stands, unless another did so already
    const own = before.map((one) => ends.indexOf(one)).filter((one) => one >= 0)
    const free = ends.findIndex((end) => end < 0)
    const place = own.length > 0 ? Math.min(...own) : free >= 0 ? free : ends.length
    // those that come together here need their tracks no longer
    for (const one of own) ends[one] = -1
    ends[place] = at
    track[at] = place
  })
  return waits.map((_list, at) => ({ track: track[at]!, level: levelOf(at) }))
}

/** An order of all in which each comes after those it waits for; of several that may come, the first stands first. */
export function inTurn(waits: Order['waits']): number[] {
  const left = waits.map((_list, at) => at)
  const gone: number[] = []
  while (left.length > 0) {
    const next = left.findIndex((at) => waits[at]!.every((before) => gone.includes(before)))
    gone.push(...left.splice(Math.max(0, next), 1))
  }
  return gone
}

/** Does one simply follow the one before it, as where nothing is said? */
export const followsOn = (waits: readonly number[], at: number): boolean =>
  at === 0 ? waits.length === 0 : waits.length === 1 && waits[0] === at - 1
