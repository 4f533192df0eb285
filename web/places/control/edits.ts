import type { Answer, Body } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { cellFault, readCell } from '../../../core/schema/rules'
import { valueText, type Column, type Row, type Value } from '../../../core/value'

export type ControlAnswer = Answer<typeof routes.controlTable>
export type Edit = Body<typeof routes.editControl>['edits'][number]

/** A row in the editor: every cell as text; `at` is its place in what was read, -1 for a new row. */
export interface Draft {
  readonly at: number
  readonly [column: `c:${string}`]: string
}

export const field = (column: string): `c:${string}` => `c:${column}`

export function cellText(value: Value, { type }: Column): string {
  if (type === 'boolean') return value === true ? 'yes' : value === false ? 'no' : ''
  if (type === 'time') return valueText(value).replace(/:00$/, '')
  return valueText(value)
}

export const draftsOf = (table: ControlAnswer): Draft[] =>
  table.rows.map((row, at) => ({
    at,
    ...Object.fromEntries(
      table.columns.map((column) => [field(column.name), cellText(row[column.name] ?? null, column)]),
    ),
  }))

export const emptyDraft = (table: ControlAnswer): Draft => ({
  at: -1,
  ...Object.fromEntries(table.columns.map((column) => [field(column.name), ''])),
})

export interface Change {
  readonly kind: 'change' | 'add' | 'remove'
  readonly key: string
  /** Changed cells: column, before, after. */
  readonly cells: readonly { readonly column: string; readonly before: string; readonly after: string }[]
  readonly faults: readonly { readonly column: string; readonly message: string }[]
  readonly edit: Edit
  /** Row in what was read, -1 for a new one. */
  readonly at: number
  /** Row in the editor, -1 for one that was removed. */
  readonly place: number
}

const keyOf = (table: ControlAnswer, row: Row): Row =>
  Object.fromEntries(table.key.map((name) => [name, row[name] ?? null]))
export const keyText = (row: Row): string => Object.values(row).map(valueText).join(' · ')

/** What the editor's rows change in what was read, with what is wrong in each. */
export function changesOf(
  table: ControlAnswer,
  drafts: readonly Draft[],
  connections: readonly string[],
): Change[] {
  const changes: Change[] = []
  const kept = new Set<number>()
  drafts.forEach((draft, place) => {
    const before = draft.at >= 0 ? table.rows[draft.at] : undefined
    if (before) kept.add(draft.at)
    const cells = []
    const faults: { column: string; message: string }[] = []
    const set: Record<string, Value> = {}
    for (const column of table.columns) {
      const text = draft[field(column.name)] ?? ''
      const was = before ? cellText(before[column.name] ?? null, column) : ''
      if (before && text === was) continue
      const value = readCell(text, column.type)
      const fault = cellFault(column, table.rules[column.name], value, connections)
      if (fault) faults.push({ column: column.name, message: fault })
      if (!before && text === '') continue
      cells.push({ column: column.name, before: was, after: text })
      set[column.name] = value ?? null
    }
    if (before && cells.length > 0) {
      const key = keyOf(table, before)
      changes.push({
        kind: 'change',
        key: keyText(key),
        cells,
        faults,
        at: draft.at,
        place,
        edit: { kind: 'change', key, version: table.versions[draft.at]!, set },
      })
    } else if (!before) {
      const missing = table.key.filter(
        (name) => (draft[field(name)] ?? '') === '' && !faults.some(({ column }) => column === name),
      )
      const all = [...faults, ...missing.map((column) => ({ column, message: `${column} needs a value` }))]
      changes.push({
        kind: 'add',
        key: table.key.map((name) => draft[field(name)]).join(' · ') || 'new row',
        cells,
        faults: all,
        at: -1,
        place,
        edit: { kind: 'add', set },
      })
    }
  })
  table.rows.forEach((row, at) => {
    if (kept.has(at)) return
    const key = keyOf(table, row)
    changes.push({
      kind: 'remove',
      key: keyText(key),
      cells: [],
      faults: [],
      at,
      place: -1,
      edit: { kind: 'remove', key, version: table.versions[at]! },
    })
  })
  return changes
}
