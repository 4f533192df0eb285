import { valueText } from '../value'
import type { Resolved } from '../expression/slot'
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

const labels: Readonly<Record<string, string>> = {
  'transfer.from.store': 'store',
  'transfer.from.query': 'query',
  'transfer.from.service': 'service',
  'transfer.from.path': 'address',
  'transfer.into.store': 'into',
  'transfer.into.file': 'target',
  'transfer.from.files': 'file',
  'transfer.from.connection': 'from',
  'transfer.from.table': 'source table',
  'transfer.into.connection': 'into',
  'transfer.into.table': 'target',
  'sql.on': 'on',
  'sql.text': 'statement',
  'check.on': 'on',
  'check.table': 'checked table',
}

/** What a slot is called in a table. */
export const slotLabel = (path: string): string => labels[path] ?? path

/** A resolved slot as one line of text. */
export function resolvedText(resolved: Resolved | null): string {
  if (!resolved) return '?'
  return resolved.text
}

/**
 * Splits what a part's loads show into what differs and what is the same in all. Of roster columns only those that
 * some expression or the key uses are worth a column when many differ.
 */
export function differing(expansion: Expansion, part: number): Differing {
  const planned = expansion.parts[part]!
  const loads = expansion.loads.filter((load) => load.part === part)
  const columns: PlanColumn[] = []
  const same: { label: string; text: string }[] = []
  const sort = (column: PlanColumn, texts: Iterable<string>) => {
    let first: string | undefined
    for (const text of texts) {
      if (first === undefined) first = text
      else if (text !== first) {
        columns.push(column)
        return
      }
    }
    if (first !== undefined && first !== '') same.push({ label: column.label, text: first })
  }
  if (planned.roster) {
    const rows = [...new Set(loads.map(({ row }) => row))].map((row) => planned.roster!.rows[row]!.row)
    for (const { name } of planned.roster.columns) {
      sort(
        { id: `row.${name}`, label: name, kind: 'row' },
        rows.map((row) => valueText(row[name] ?? null)),
      )
    }
  }
  if (planned.slices) {
    const slices = [...new Set(loads.map(({ slice }) => slice))].map((slice) => planned.slices![slice]!.label)
    sort({ id: 'slice', label: 'slice', kind: 'slice' }, slices)
  }
  const slots = planned.steps.flatMap(({ slots }) => slots)
  slots.forEach((slot, i) => {
    // a statement that is the same in all is read in the job, not here
    if (slot.kind === 'sql' && !slot.text.includes('{')) return
    if (loads.every(({ resolved }) => resolved[i]?.kind === 'later')) return
    const label = slotLabel(slot.path)
    sort(
      { id: `slot.${i}`, label, kind: 'slot', slot: i },
      loads.map(({ resolved }) => resolvedText(resolved[i] ?? null)),
    )
  })
  return { columns, same }
}
