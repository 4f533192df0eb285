import type { OpenedFiles } from './definition'
import type { Relation } from './relation'

/** A relation that has types of its own, as what a load reads. */
export const openTyped = ({ columns, sql }: Relation, rows: ReadonlyMap<string, number>): OpenedFiles => ({
  columns,
  sql: () => sql,
  ofText: false,
  rows,
})
