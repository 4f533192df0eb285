import { celCompiler, celRow, plainValue, type Compiled } from '../expression/cel'
import { FaultError } from '../fault'
import type { Column, Row } from '../value'
import type { CellRules } from './rules'

/** What a rule over the whole row says against it, by the column that has the rule. */
export type RowCheck = (row: Row) => { readonly column: string; readonly message: string }[]

/**
 * Compiles the rules that look at a whole row. A rule that cannot be read, or worked out for a row, is broken by it.
 */
export function rowCheck(columns: readonly Column[], rules: Readonly<Record<string, CellRules>>): RowCheck {
  const types = Object.fromEntries(columns.map(({ name, type }) => [name, type]))
  const compile = celCompiler('UTC')
  const checks = Object.entries(rules).flatMap(([column, { holds }]) => {
    if (holds === undefined || holds.trim() === '') return []
    const rule = `${column}: ${holds}`
    try {
      return [{ column, rule, compiled: compile(holds) as Compiled | undefined }]
    } catch {
      return [{ column, rule, compiled: undefined }]
    }
  })
  if (checks.length === 0) return () => []
  return (row) => {
    const bound = celRow(row, types)
    return checks.flatMap(({ column, rule, compiled }) => {
      try {
        if (compiled && plainValue(compiled.evaluate({ row: bound })) === true) return []
        return [{ column, message: `the rule of ${rule} does not hold` }]
      } catch (error) {
        if (!(error instanceof FaultError)) throw error
        return [{ column, message: `the rule of ${rule} cannot be worked out: ${error.message}` }]
      }
    })
  }
}
