import { sourceKey, type Expansion, type Facts, type PlanPart, type StatementFact } from '../types'
import { transfersOf } from '../view'

/** What one step does to a table, in the order of the job. */
export interface TableUse {
  readonly part: number
  readonly step: string
  readonly at: number
  readonly does: 'read' | 'write' | 'empty'
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
  for (const { load, step, sourceConnection, sourceTable, connection, target, spec } of transfersOf(
    expansion,
  )) {
    if (sourceConnection && sourceTable) add(sourceConnection, sourceTable, load.part, step.id, 'read')
    if (connection && target && spec.into.store === undefined)
      add(connection, target, load.part, step.id, 'write')
  }
  const statements = expansion.parts.map(sqlSlots)
  for (const load of expansion.loads) {
    for (const { step, on, text } of statements[load.part]!) {
      const connection = load.resolved[on]
      const statement = load.resolved[text]
      if (connection?.kind !== 'text' || statement?.kind !== 'sql') continue
      const fact: StatementFact | undefined = facts.statements.get(statement.text)
      if (!fact) continue
      for (const table of fact.reads) add(connection.text, table, load.part, step, 'read')
      for (const table of fact.writes) add(connection.text, table, load.part, step, 'write')
      for (const table of fact.empties) add(connection.text, table, load.part, step, 'empty')
    }
  }
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

/** Places of the connection and the statement of each step of SQL among a part's slots. */
function sqlSlots(part: PlanPart): { step: string; on: number; text: number }[] {
  const slots = part.steps.flatMap((step) => step.slots)
  return part.steps.flatMap(({ id, kind }) => {
    if (kind !== 'sql') return []
    const at = (path: string) => slots.findIndex((slot) => slot.step === id && slot.path === path)
    return [{ step: id, on: at('sql.on'), text: at('sql.text') }]
  })
}
