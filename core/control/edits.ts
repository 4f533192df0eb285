import { valueText, type Row, type Table } from '../value'

/** A change of a control table's rows. `version` is what the row was when it was read. */
export type ControlEdit =
  | { readonly kind: 'change'; readonly key: Row; readonly version: string; readonly set: Row }
  | { readonly kind: 'add'; readonly set: Row }
  | { readonly kind: 'remove'; readonly key: Row; readonly version: string }

/** The key of a row, of the columns of its table's key. */
export const keyOf = (table: Pick<Table, 'key'>, row: Row): Row =>
  Object.fromEntries(table.key.map((name) => [name, row[name] ?? null]))

/** A key as people read it. */
export const keyText = (key: Row): string => Object.values(key).map(valueText).join(' · ')

/** Tells keys apart; two keys may read alike, as `a · b` with `c` and `a` with `b · c` do. */
export const keyId = (key: Row): string => JSON.stringify(Object.values(key).map(valueText))

/** The table as it will be once the edits are saved; rows that are not there any more are passed over. */
export function applyEdits<T extends Table>(table: T, edits: readonly ControlEdit[]): T {
  const changed = new Map<string, ControlEdit>()
  const added: Row[] = []
  for (const edit of edits) {
    if (edit.kind === 'add')
      added.push(Object.fromEntries(table.columns.map(({ name }) => [name, edit.set[name] ?? null])))
    else changed.set(keyId(keyOf(table, edit.key)), edit)
  }
  const rows = table.rows.flatMap((row) => {
    const edit = changed.get(keyId(keyOf(table, row)))
    if (edit === undefined) return [row]
    return edit.kind === 'change' ? [{ ...row, ...edit.set }] : []
  })
  return { ...table, rows: [...rows, ...added] }
}

/** A change as the history keeps it, newest first; `before` is null for a new row, `after` for one that was removed. */
export interface ControlChange {
  readonly rowKey: string
  readonly before: Row | null
  readonly after: Row | null
}

/**
 * The table as it was before some changes, newest first. What other programs changed meanwhile is not in the history
 * and stays as it is.
 */
export function undoChanges<T extends Table>(table: T, changes: readonly ControlChange[]): T {
  const rows = new Map(table.rows.map((row) => [keyId(keyOf(table, row)), row]))
  for (const { before, after } of changes) {
    if (after) rows.delete(keyId(keyOf(table, after)))
    if (before) rows.set(keyId(keyOf(table, before)), before)
  }
  return { ...table, rows: [...rows.values()] }
}
