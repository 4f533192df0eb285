import { slotLabel } from '../job/slots'
import type { Resolved } from '../text/slot'
import { resolvedText } from './differing'
import type { Expansion, PlanPart } from './types'

/** A slot whose text is another one. */
export interface SlotChange {
  readonly step: string
  readonly path: string
  readonly label: string
  /** Null where the step or the text is not in that plan. */
  readonly before: string | null
  readonly after: string | null
}

/** Two plans held against each other; numbers are those of loads in their own plan. */
export interface Comparison {
  /** In the plan after only. */
  readonly added: readonly number[]
  /** In the plan before only. */
  readonly gone: readonly number[]
  readonly changed: readonly { readonly before: number; readonly after: number }[]
  readonly same: number
  /** What changes, over all changed loads, the commonest first. */
  readonly texts: readonly (SlotChange & { readonly count: number })[]
}

/** What of a plan is compared. */
export type Comparable = Pick<Expansion, 'parts' | 'loads'>

interface Pairing {
  readonly slots: readonly {
    readonly step: string
    readonly path: string
    readonly before: number
    readonly after: number
  }[]
}

/**
 * Holds two plans of a job against each other. Loads are the same by their part, their roster key and their slice;
 * of rows that share a key the first meets the first. Parts are the same that share most of their steps.
 */
export function comparePlans(before: Comparable, after: Comparable): Comparison {
  const partners = matchParts(before.parts, after.parts)
  const pairings = after.parts.map((part) => {
    const partner = partners.get(part.index)
    return partner === undefined ? undefined : pairing(before.parts[partner]!, part)
  })
  const known = new Map<string, number>()
  const times = new Map<string, number>()
  before.loads.forEach((_, number) => known.set(unique(loadId(before, number, undefined), times), number))
  times.clear()
  const added: number[] = []
  const changed: { before: number; after: number }[] = []
  const texts = new Map<string, SlotChange & { count: number }>()
  let same = 0
  after.loads.forEach((load, number) => {
    const partner = partners.get(load.part)
    const id = partner === undefined ? undefined : unique(loadId(after, number, partner), times)
    const other = id === undefined ? undefined : known.get(id)
    if (other === undefined) {
      added.push(number)
      return
    }
    known.delete(id!)
    const was = before.loads[other]!
    let differs = false
    for (const slot of pairings[load.part]!.slots) {
      const from = slot.before < 0 ? null : was.resolved[slot.before]
      const to = slot.after < 0 ? null : load.resolved[slot.after]
      if (sameText(from ?? null, to ?? null)) continue
      differs = true
      const text = texts.get(`${slot.step}\n${slot.path}`)
      if (text) text.count++
      else texts.set(`${slot.step}\n${slot.path}`, { ...changeOf(slot, from, to), count: 1 })
    }
    if (differs) changed.push({ before: other, after: number })
    else same++
  })
  return {
    added,
    gone: [...known.values()].sort((a, b) => a - b),
    changed,
    same,
    texts: [...texts.values()].sort((a, b) => b.count - a.count),
  }
}

/** Every text of a load that is another one in the plan after. */
export function loadChanges(
  before: Comparable,
  after: Comparable,
  pair: Comparison['changed'][number],
): SlotChange[] {
  const was = before.loads[pair.before]!
  const is = after.loads[pair.after]!
  return pairing(before.parts[was.part]!, after.parts[is.part]!).slots.flatMap((slot) => {
    const from = slot.before < 0 ? null : was.resolved[slot.before]
    const to = slot.after < 0 ? null : is.resolved[slot.after]
    return sameText(from ?? null, to ?? null) ? [] : [changeOf(slot, from, to)]
  })
}

function changeOf(
  { step, path }: { step: string; path: string },
  from: Resolved | null | undefined,
  to: Resolved | null | undefined,
): SlotChange {
  const text = (resolved: Resolved | null | undefined) => (resolved ? textWithValues(resolved) : null)
  return { step, path, label: slotLabel(path), before: text(from), after: text(to) }
}

function textWithValues(resolved: Resolved): string {
  const text = resolvedText(resolved)
  return resolved.kind === 'sql' && resolved.values.length > 0
    ? `${text} — ${resolved.values.map((value) => JSON.stringify(value)).join(', ')}`
    : text
}

function sameText(a: Resolved | null, b: Resolved | null): boolean {
  if (a === b) return true
  if (!a || !b || a.kind !== b.kind || a.text !== b.text) return false
  if (a.kind === 'sql' && b.kind === 'sql') return JSON.stringify(a.values) === JSON.stringify(b.values)
  if (a.kind === 'path' && b.kind === 'path') return a.pattern === b.pattern
  if (a.kind === 'table' && b.kind === 'table') return a.schema === b.schema && a.table === b.table
  return true
}

/** What tells a load from the others; `part` is its part's number in the plan before. */
function loadId(plan: Comparable, number: number, part: number | undefined): string {
  const load = plan.loads[number]!
  const planned = plan.parts[load.part]!
  const row = load.row >= 0 ? planned.roster!.rows[load.row]!.key : ''
  const slice = load.slice >= 0 ? planned.slices![load.slice]! : undefined
  return `${part ?? load.part}\n${row}\n${slice ? `${slice.from}/${slice.to}` : ''}`
}

function unique(id: string, times: Map<string, number>): string {
  const time = times.get(id) ?? 0
  times.set(id, time + 1)
  return time === 0 ? id : `${id}\n${time}`
}

/** For each part after its partner before: the one with most steps in common, each taken once; else none. */
function matchParts(before: readonly PlanPart[], after: readonly PlanPart[]): Map<number, number> {
  const pairs = after.flatMap((part) =>
    before.flatMap((other) => {
      if ((part.roster === undefined) !== (other.roster === undefined)) return []
      const shared = part.steps.filter(({ id }) => other.steps.some((step) => step.id === id)).length
      return shared > 0 ? [{ part: part.index, other: other.index, shared }] : []
    }),
  )
  pairs.sort((a, b) => b.shared - a.shared || a.part - b.part || a.other - b.other)
  const partners = new Map<number, number>()
  const taken = new Set<number>()
  for (const { part, other } of pairs) {
    if (partners.has(part) || taken.has(other)) continue
    partners.set(part, other)
    taken.add(other)
  }
  return partners
}

/** Slots of two parts that mean the same: of the same step, at the same path. */
function pairing(before: PlanPart, after: PlanPart): Pairing {
  const places = new Map<string, { step: string; path: string; before: number; after: number }>()
  const enter = (part: PlanPart, side: 'before' | 'after') =>
    part.steps
      .flatMap(({ slots }) => slots)
      .forEach(({ step, path }, i) => {
        const id = `${step}\n${path}`
        const known = places.get(id) ?? { step, path, before: -1, after: -1 }
        known[side] = i
        places.set(id, known)
      })
  enter(before, 'before')
  enter(after, 'after')
  return { slots: [...places.values()] }
}
