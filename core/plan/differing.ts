import { valueText } from '../value'
import type { Resolved } from '../text/slot'
import { slotLabel } from '../job/slots'
import { textTable } from './texts'
import type { Expansion } from './types'

/** A column of the plan's table: a roster column, the slice, or a slot of a step. */
export interface PlanColumn {
  readonly id: string
  readonly label: string
  readonly kind: 'row' | 'slice' | 'slot'
  /** For a slot: its number over the part's steps. */
  readonly slot?: number
}

export interface Differing {
  /** What differs between the loads, in the order it is read. */
  readonly columns: readonly PlanColumn[]
  /** What is the same in all loads, said once. */
  readonly same: readonly { readonly label: string; readonly text: string }[]
}

/** A resolved slot as one line of text. */
export function resolvedText(resolved: Resolved | null): string {
  if (!resolved) return '?'
  return resolved.text
}

/**
 * Splits what a part's loads show into what differs and what is the same in all. Of roster columns only those that
 * some expression or the key uses are worth a column when many differ.
 */
export function differing(expansion: Pick<Expansion, 'parts' | 'loads'>, part: number): Differing {
  const planned = expansion.parts[part]!
  const loads = expansion.loads.filter((load) => load.part === part)
  const columns: PlanColumn[] = []
  const same: { label: string; text: string }[] = []
  /** Looks until a text differs from the first. */
  const sort = (column: PlanColumn, count: number, text: (at: number) => string) => {
    const first = count > 0 ? text(0) : ''
    for (let at = 1; at < count; at++) {
      if (text(at) !== first) {
        columns.push(column)
        return
      }
    }
    if (first !== '') same.push({ label: column.label, text: first })
  }
  const distinct = (of: 'row' | 'slice'): number[] => {
    const seen = new Set<number>()
    for (const load of loads) seen.add(load[of])
    return [...seen]
  }
  if (planned.roster) {
    const rows = distinct('row').map((row) => planned.roster!.rows[row]!.row)
    for (const { name } of planned.roster.columns)
      sort({ id: `row.${name}`, label: name, kind: 'row' }, rows.length, (at) =>
        valueText(rows[at]![name] ?? null),
      )
  }
  if (planned.slices) {
    const slices = distinct('slice')
    sort(
      { id: 'slice', label: 'slice', kind: 'slice' },
      slices.length,
      (at) => planned.slices![slices[at]!]!.label,
    )
  }
  textTable(planned).slots.forEach((slot, i) => {
    // a statement that is the same in all is read in the job, not here
    if (slot.kind === 'sql' && !slot.text.includes('{')) return
    if (loads.every(({ resolved }) => resolved[i]?.kind === 'later')) return
    sort({ id: `slot.${i}`, label: slotLabel(slot.path), kind: 'slot', slot: i }, loads.length, (at) =>
      resolvedText(loads[at]!.resolved[i] ?? null),
    )
  })
  return { columns, same }
}
