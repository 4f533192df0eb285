import { runsOnPath } from '../job/slots'
import { writeOf } from '../job/writes'
import { bindsMoments, inSliceSql } from '../text/moments'
import { plainText, quoteName, type BoundValue } from '../text/slot'
import { textTable } from './texts'
import { sourceKey, type Expansion, type PlannedLoad } from './types'
import { transfersOf } from './view'

/** A statement of a load that binds points in time, and the connection it runs on. */
export interface SqlWant {
  readonly key: string
  readonly connection: string
  readonly text: string
  readonly values: readonly BoundValue[]
  readonly part: number
  readonly step: string
  /** Path below the step. */
  readonly path: string
  /** The column that replace-slice goes by. */
  readonly column?: string
  /** The table that it is a column of. */
  readonly table?: string
  readonly load: PlannedLoad
  readonly number: number
}

/** Every statement of every load in which points in time meet what a database has. */
export function* sqlWants(expansion: Expansion): Generator<SqlWant> {
  const places = expansion.parts.map((part) => {
    const table = textTable(part)
    return table.slots.flatMap((slot, at) => {
      if (slot.kind !== 'sql') return []
      const on = table.at(slot.step, runsOnPath(slot.path))
      return on < 0 ? [] : [{ slot, at, on }]
    })
  })
  for (let number = 0; number < expansion.loads.length; number++) {
    const load = expansion.loads[number]!
    for (const { slot, at, on } of places[load.part]!) {
      const resolved = load.resolved[at]
      const connection = plainText(load.resolved[on] ?? null)
      if (resolved?.kind !== 'sql' || connection === undefined || !bindsMoments(resolved.text)) continue
      const { text, values } = resolved
      yield { key: sourceKey(connection, text), connection, text, values, part: load.part, step: slot.step, path: slot.path, load, number } // prettier-ignore
    }
  }
  for (const { spec, load, number, connection, target, step } of transfersOf(expansion)) {
    const { write, slice_by: column } = spec.into
    const slice = expansion.parts[load.part]!.slices?.[load.slice]
    if (!slice || !write || column === undefined || connection === undefined || target === undefined) continue
    if (writeOf(write).replaces !== 'slice') continue
    const text = `select from ${tableSql(target)} where ${inSliceSql(column)}`
    yield { key: sourceKey(connection, text), connection, text, values: [slice.from, slice.to], part: load.part, step: step.id, path: 'transfer.into.slice_by', column, table: target, load, number } // prettier-ignore
  }
}

/** `schema.table` as SQL writes it; a dot beyond the first is a letter of the table's name. */
const tableSql = (table: string): string => {
  const dot = table.indexOf('.')
  return `${quoteName(table.slice(0, dot))}.${quoteName(table.slice(dot + 1))}`
}
