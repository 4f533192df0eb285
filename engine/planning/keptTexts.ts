import type { Resolved, Slot } from '../../core/text/slot'
import type { Varies } from '../../core/plan/types'
import type { StoredPart } from '../../database/schema'

/** A text as it is kept: most are a plain text or a path that is its own pattern, and need no more than that. */
export type Kept = string | Resolved | null

export const keep = (resolved: Resolved | null): Kept =>
  resolved && (resolved.kind === 'text' || (resolved.kind === 'path' && resolved.pattern === resolved.text))
    ? resolved.text
    : resolved

export const unkept = (kept: Kept, slot: Slot): Resolved | null =>
  typeof kept !== 'string'
    ? kept
    : slot.kind === 'path'
      ? { kind: 'path', text: kept, pattern: kept }
      : { kind: 'text', text: kept }

export const pick = (resolved: readonly (Resolved | null)[], varies: readonly Varies[], by: Varies): Kept[] =>
  resolved.filter((_, i) => varies[i] === by).map(keep)

export const slotsIn = ({ steps }: Pick<StoredPart, 'steps'>): Slot[] => steps.flatMap(({ slots }) => slots)

/** What a load resolves to, put together from what varies with its row, its slice, with both, or not at all. */
export function resolvedOf(
  part: Pick<StoredPart, 'varies' | 'same'>,
  slots: readonly Slot[],
  byRow: readonly Kept[],
  bySlice: readonly Kept[],
  own: readonly Kept[],
): (Resolved | null)[] {
  if (!part.varies) return own.map((kept, i) => unkept(kept, slots[i]!))
  const lists = { same: part.same ?? [], row: byRow, slice: bySlice, both: own }
  const at = { same: 0, row: 0, slice: 0, both: 0 }
  return part.varies.map((by, i) => unkept(lists[by][at[by]++] ?? null, slots[i]!))
}
