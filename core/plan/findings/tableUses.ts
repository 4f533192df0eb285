import { stepDefinition } from '../../job/steps'
import type { TableTouch } from '../../job/steps/definition'
import { textTable } from '../texts'
import { sourceKey, type Expansion, type Facts, type PlanPart } from '../types'

/** What one step does to a table, in the order of the job. */
export interface TableUse {
  readonly part: number
  readonly step: string
  readonly at: number
  readonly does: TableTouch['does']
  /** Loads in which it does it to this table; 1 in a part that runs once. */
  readonly loads: number
}

/** What the steps of a plan do to each table, by the table's key; statements as far as they were read. */
export function tableUses(expansion: Expansion, facts: Facts): Map<string, TableUse[]> {
  const order = new Map<string, number>()
  expansion.parts.forEach((part) => part.steps.forEach(({ id }) => order.set(id, order.size)))
  const counted = new Map<string, TableUse & { loads: number }>()
  const add = (connection: string, table: string, part: number, step: string, does: TableUse['does']) => {
    const id = [connection, table, step, does].join('\n')
    const known = counted.get(id)
    if (known) known.loads++
    else counted.set(id, { part, step, at: order.get(step)!, does, loads: 1 })
  }
  const steps = expansion.parts.map(touchingSteps)
  for (const load of expansion.loads)
    for (const { step, tables, at } of steps[load.part]!)
      for (const { connection, table, does } of tables(
        (path) => load.resolved[at(path)] ?? null,
        facts.statements,
      ))
        add(connection, table, load.part, step, does)
  const byTable = new Map<string, TableUse[]>()
  for (const [id, use] of counted) {
    const [connection, table] = id.split('\n') as [string, string]
    const key = sourceKey(connection, table)
    const list = byTable.get(key)
    if (list) list.push(use)
    else byTable.set(key, [use])
  }
  return byTable
}

/** The steps of a part that touch tables, with the places of their texts. */
function touchingSteps(part: PlanPart) {
  const table = textTable(part)
  return part.steps.flatMap(({ id, kind }) => {
    const { tables } = stepDefinition(kind)
    return tables ? [{ step: id, tables, at: (path: string) => table.at(id, `${kind}.${path}`) }] : []
  })
}
