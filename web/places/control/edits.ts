import { field, type Draft } from '../../kit/drafts'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { keyOf, keyText, type ControlEdit } from '../../../core/control/edits'
import type { RowCheck } from '../../../core/control/rowRules'
import { cellFault, repeated } from '../../../core/control/rules'
import { readCell } from '../../../core/catalog/rules'
import { valueText, type Column, type Row, type Value } from '../../../core/value'

export type ControlAnswer = Answer<typeof routes.controlTable>

export function cellText(value: Value, { type }: Column): string {
  if (type === 'boolean') return value === true ? 'yes' : value === false ? 'no' : ''
  if (type === 'time') return valueText(value).replace(/:00$/, '')
  return valueText(value)
}

let ids = 0

export const draftOf = (table: ControlAnswer, row: Row, at: number): Draft => ({
  id: ++ids,
  at,
  ...Object.fromEntries(
    table.columns.map((column) => [field(column.name), cellText(row[column.name] ?? null, column)]),
  ),
})

export const draftsOf = (table: ControlAnswer): Draft[] =>
  table.rows.map((row, at) => draftOf(table, row, at))

export const emptyDraft = (table: ControlAnswer): Draft => draftOf(table, {}, -1)

export interface CellChange {
  readonly column: string
  readonly before: string
  readonly after: string
}

export interface Change {
  readonly kind: 'change' | 'add' | 'remove'
  readonly key: string
  readonly cells: readonly CellChange[]
  readonly faults: readonly { readonly column: string; readonly message: string }[]
  readonly edit: ControlEdit
  /** Row in what was read, -1 for a new one. */
  readonly at: number
  /** Of the draft; of one that was removed, that of the row as it was read. */
  readonly id: number
}

/** What the editor's rows change in what was read, with what is wrong in each. */
export function changesOf(
  table: ControlAnswer,
  original: readonly Draft[],
  drafts: readonly Draft[],
  checkRow: RowCheck,
): Change[] {
  const changes: Change[] = []
  const kept = new Set<number>()
  for (const draft of drafts) {
    if (draft.at >= 0) kept.add(draft.at)
    // most rows are the very object that was read
    if (draft.at >= 0 && original[draft.at] === draft) continue
    const change = changeOf(table, draft.at >= 0 ? original[draft.at] : undefined, draft, checkRow)
    if (change) changes.push(change)
  }
  original.forEach((draft, at) => {
    if (kept.has(at)) return
    const key = keyOf(table, table.rows[at]!)
    changes.push({
      kind: 'remove',
      key: keyText(key),
      cells: [],
      faults: [],
      at,
      id: draft.id,
      edit: { kind: 'remove', key, version: table.versions[at]! },
    })
  })
  return changes.length > 0 ? withRepeats(table, drafts, changes) : changes
}

function changeOf(
  table: ControlAnswer,
  before: Draft | undefined,
  draft: Draft,
  checkRow: RowCheck,
): Change | undefined {
  const cells: CellChange[] = []
  const faults: { column: string; message: string }[] = []
  const set: Record<string, Value> = {}
  const row: Record<string, Value> = before ? { ...table.rows[draft.at]! } : {}
  for (const column of table.columns) {
    const text = draft[field(column.name)] ?? ''
    const was = before?.[field(column.name)] ?? ''
    if (before && text === was) continue
    const value = readCell(text, column.type)
    const fault = cellFault(column, table.rules[column.name], value, table.known)
    if (fault) faults.push({ column: column.name, message: fault })
    row[column.name] = value ?? null
    if (!before && text === '') {
      if (!fault && table.key.includes(column.name))
        faults.push({ column: column.name, message: `${column.name} needs a value` })
      continue
    }
    cells.push({ column: column.name, before: was, after: text })
    set[column.name] = value ?? null
  }
  if (before && cells.length === 0) return undefined
  if (faults.length === 0) faults.push(...checkRow(row))
  if (!before)
    return {
      kind: 'add',
      key: table.key.map((name) => draft[field(name)]).join(' · ') || 'new row',
      cells,
      faults,
      at: -1,
      id: draft.id,
      edit: { kind: 'add', set },
    }
  const key = keyOf(table, table.rows[draft.at]!)
  return {
    kind: 'change',
    key: keyText(key),
    cells,
    faults,
    at: draft.at,
    id: draft.id,
    edit: { kind: 'change', key, version: table.versions[draft.at]!, set },
  }
}

/** Marks the changed rows that share a key, or a value of a column that is to be unique, with another row. */
function withRepeats(table: ControlAnswer, drafts: readonly Draft[], changes: Change[]): Change[] {
  const found = new Map<number, { column: string; message: string }[]>()
  const mark = (column: string, texts: readonly string[], what: (text: string) => string) => {
    for (const [text, places] of repeated(texts))
      for (const place of places) {
        const { id } = drafts[place]!
        found.set(id, [...(found.get(id) ?? []), { column, message: what(text) }])
      }
  }
  // two keys may read alike, as `a · b` with `c` and `a` with `b · c` do
  const keys = drafts.map((draft) => {
    const cells = table.key.map((name) => draft[field(name)] ?? '')
    return cells.every((cell) => cell === '') ? '' : JSON.stringify(cells)
  })
  mark(table.key[0] ?? '', keys, (key) => `there is another row ${(JSON.parse(key) as string[]).join(' · ')}`)
  for (const { name } of table.columns)
    if (table.rules[name]?.unique)
      mark(name, drafts.map((draft) => draft[field(name)] ?? ''), (text) => `${name} is to be unique, and "${text}" stands twice`) // prettier-ignore
  if (found.size === 0) return changes
  return changes.map((change) => {
    const more = change.kind === 'remove' ? undefined : found.get(change.id)
    return more ? { ...change, faults: [...change.faults, ...more] } : change
  })
}

/** The drafts with one row as it was read, in its place. */
export function putBack(original: readonly Draft[], drafts: readonly Draft[], at: number): Draft[] {
  const row = original[at]!
  if (drafts.some((draft) => draft.at === at)) return drafts.map((draft) => (draft.at === at ? row : draft))
  const after = drafts.findIndex((draft) => draft.at > at)
  return after < 0 ? [...drafts, row] : [...drafts.slice(0, after), row, ...drafts.slice(after)]
}

/** What a list of rows is seen through; the rows and their edits stay whole behind it. */
export interface View {
  readonly filter: string
  /** Column the filter looks into; '' for all. */
  readonly column: string
  readonly sort: { readonly column: string; readonly down: boolean } | undefined
  /** Key of the rows that are shown, as people read it; null for any. */
  readonly key: string | null
}

export const wholeView: View = { filter: '', column: '', sort: undefined, key: null }

/** Ids of the rows that a view shows, in its order. */
export function idsOf(
  table: ControlAnswer,
  drafts: readonly Draft[],
  { filter, column, sort, key }: View,
): number[] {
  const wanted = filter.toLowerCase()
  const columns = column === '' ? table.columns : table.columns.filter(({ name }) => name === column)
  const shown = drafts.filter(
    (draft) =>
      (wanted === '' ||
        columns.some(({ name }) => (draft[field(name)] ?? '').toLowerCase().includes(wanted))) &&
      // one that is new is seen while it gets its key
      (key === null || draft.at < 0 || keyText(keyOf(table, table.rows[draft.at]!)) === key),
  )
  if (sort) {
    const type = table.columns.find(({ name }) => name === sort.column)?.type
    const number = type === 'integer' || type === 'decimal' || type === 'number'
    const compare = new Intl.Collator('en', { numeric: true }).compare
    shown.sort((a, b) => {
      const [x, y] = [a[field(sort.column)] ?? '', b[field(sort.column)] ?? '']
      // empty cells come last, either way
      if (x === '' || y === '') return x === y ? 0 : x === '' ? 1 : -1
      return (number ? Number(x) - Number(y) : compare(x, y)) * (sort.down ? -1 : 1)
    })
  }
  return shown.map(({ id }) => id)
}

/**
 * Takes what the grid gives back for the rows it shows into all rows: changed ones in their places, new ones after the
 * row above them, removed ones out.
 */
export function mergeShown(
  drafts: readonly Draft[],
  shown: readonly Draft[],
  next: readonly Draft[],
): Draft[] {
  const wasShown = new Set(shown.map(({ id }) => id))
  const byId = new Map(next.map((draft) => [draft.id, draft]))
  const known = new Set(drafts.map(({ id }) => id))
  /** New rows by the row above them; 0 for those at the head. */
  const fresh = new Map<number, Draft[]>()
  let above = 0
  for (const draft of next) {
    if (known.has(draft.id)) above = draft.id
    else fresh.set(above, [...(fresh.get(above) ?? []), draft])
  }
  const merged = [...(fresh.get(0) ?? [])]
  for (const draft of drafts) {
    const now = byId.get(draft.id)
    if (now) merged.push(now)
    else if (!wasShown.has(draft.id)) merged.push(draft)
    const below = fresh.get(draft.id)
    if (below) merged.push(...below)
  }
  return merged
}
