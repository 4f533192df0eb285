import { plainText } from '../text/slot'
import { textTable } from './texts'
import { markKey, type Expansion, type PlannedLoad } from './types'
import { transfersOf } from './view'

/** A load that reads only what is past a mark, from a table. */
export interface MarkWant {
  readonly load: PlannedLoad
  readonly number: number
  readonly part: number
  readonly step: string
  readonly key: string
  readonly name: string
  /** Connection of the target, beside which the mark lies. */
  readonly connection: string
  /** Connection of the source. */
  readonly source: string
  readonly table: string
  readonly column: string
}

/** The marks that loads go by, as far as their names are known beforehand. */
export function marksWanted(expansion: Expansion): MarkWant[] {
  return transfersOf(expansion).flatMap(({ load, number, step, spec, connection, sourceConnection, sourceTable }) => {
    if (!spec.since || connection === undefined || sourceConnection === undefined || sourceTable === undefined) return []
    const part = expansion.parts[load.part]!
    const name = plainText(load.resolved[textTable(part).at(step.id, 'transfer.since.kept_as')] ?? null)
    return name === undefined
      ? []
      : [{ load, number, part: load.part, step: step.id, key: markKey(connection, name), name, connection, source: sourceConnection, table: sourceTable, column: spec.since.column }]
  })
} // prettier-ignore
