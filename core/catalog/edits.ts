import { compareSchemas, isSame, type SchemaChange } from './compare'
import type { FoundColumn } from './found'
import type { ValueReading } from '../files/valueReading'
import type { ValueType } from '../value'

/** What a person said of a column; it outlives every survey. Kept by the name the source has. */
export interface ColumnEdit {
  readonly name?: string
  readonly type?: ValueType
  /** How its values are written. */
  readonly reading?: ValueReading
  readonly description?: string
}
export type ColumnEdits = Readonly<Record<string, ColumnEdit>>

/** A column as the catalog shows it: found by a survey, mended by hand. */
export interface CatalogColumn extends FoundColumn {
  /** The name the source has. */
  readonly source: string
  readonly description?: string
  /** What a person set. */
  readonly byHand: readonly ('name' | 'type' | 'reading' | 'description')[]
}

export function editedColumns(columns: readonly FoundColumn[], edits: ColumnEdits): CatalogColumn[] {
  return columns.map((column) => {
    const edit = Object.hasOwn(edits, column.name) ? edits[column.name] : undefined
    const byHand = (['name', 'type', 'reading', 'description'] as const).filter(
      (what) => edit?.[what] !== undefined,
    )
    return {
      ...column,
      source: column.name,
      name: edit?.name ?? column.name,
      type: edit?.type ?? column.type,
      ...(edit?.reading ? { reading: edit.reading } : {}),
      ...(edit?.description === undefined ? {} : { description: edit.description }),
      ...(column.unnamed && edit?.name === undefined ? { unnamed: true } : { unnamed: false }),
      byHand,
    }
  })
}

/** The names that a person may give: each column has one, no two the same. Says what is wrong, or nothing. */
export function namesFault(columns: readonly CatalogColumn[]): string | undefined {
  const names = columns.map(({ name }) => name)
  if (names.some((name) => name.trim() === '')) return 'a column has no name'
  const twice = names.find((name, i) => names.indexOf(name) !== i)
  return twice === undefined ? undefined : `two columns are called "${twice}"`
}

export type NewColumns = 'accept' | 'hold'

/**
 * What a survey that nobody looks at may do to a known schema: new columns go in where the dataset accepts them; gone
 * columns and changed types always wait for a person. `settled` is the schema from now on, `waits` what is left over.
 */
export function settle(
  known: readonly FoundColumn[],
  found: readonly FoundColumn[],
  policy: NewColumns,
): { settled: readonly FoundColumn[]; changed: boolean; waits: SchemaChange | null } {
  const change = compareSchemas(known, found)
  if (isSame(change)) return { settled: found, changed: false, waits: null }
  const accepted = policy === 'accept' ? change.added : []
  const settled = [...known, ...accepted]
  const rest = compareSchemas(settled, found)
  return { settled, changed: accepted.length > 0, waits: isSame(rest) ? null : rest }
}
