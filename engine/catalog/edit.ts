import { eq } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { editedColumns, namesFault, type ColumnEdits, type NewColumns } from '../../core/catalog/edits'
import { fromTableSchema, type TableSchema } from '../../core/catalog/tableSchema'
import { dataset } from '../../database/catalog'
import type { Engine } from '../context/engine'
import { searchText, unnamedIn } from '../survey/accept'
import { readDataset, type Dataset } from './reading'

export interface DatasetEdit {
  readonly name?: string | undefined
  readonly description?: string | undefined
  readonly owner?: string | undefined
  readonly tags?: readonly string[] | undefined
  readonly newColumns?: NewColumns | undefined
  readonly closed?: boolean | undefined
  /** Null: the key that was found. */
  readonly key?: readonly string[] | null | undefined
  readonly edits?: ColumnEdits | undefined
}

/**
 * Changes what a person may say of a dataset. Edits of columns replace those there were.
 * @throws FaultError `request` where two columns would be called the same, or the key names none
 */
export async function editDataset(engine: Engine, id: number, edit: DatasetEdit): Promise<Dataset> {
  const before = await readDataset(engine, id)
  const edits = edit.edits ?? before.edits
  const columns = editedColumns(before.columns, edits)
  const wrong = namesFault(columns)
  if (wrong) fail('request', `${before.name}: ${wrong}`, { path: 'edits' })
  const odd = edit.key?.find((name) => !columns.some((column) => column.name === name))
  if (odd !== undefined) fail('request', `${before.name} has no column "${odd}" for its key`, { path: 'key' })
  const next = {
    name: edit.name ?? before.name,
    description: edit.description ?? before.description,
    owner: edit.owner ?? before.owner,
    tags: edit.tags ? [...new Set(edit.tags)] : before.tags,
    newColumns: edit.newColumns ?? before.newColumns,
    closed: edit.closed ?? before.closed,
    keyByHand: edit.key === undefined ? before.keyByHand : edit.key === null ? null : [...edit.key],
    edits,
  }
  const [changed] = await engine.db
    .update(dataset)
    .set({ ...next, unnamed: unnamedIn(before.columns, edits), search: searchText({ ...before, ...next }) })
    .where(eq(dataset.id, id))
    .returning()
  return changed!
}

/** Takes a Table Schema in as edits by hand. Returns what of it could not be used. */
export async function takeTableSchema(engine: Engine, id: number, schema: TableSchema): Promise<string[]> {
  const before = await readDataset(engine, id)
  const { edits, key, left } = fromTableSchema(schema, editedColumns(before.columns, before.edits))
  const merged = { ...before.edits }
  for (const [column, edit] of Object.entries(edits)) merged[column] = { ...merged[column], ...edit }
  await editDataset(engine, id, { edits: merged, ...(key.length > 0 ? { key } : {}) })
  return left
}
