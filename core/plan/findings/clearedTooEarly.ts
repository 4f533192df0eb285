import type { Facts, PlanPart, StatementFact } from '../types'
import { transfersOf } from '../view'
import type { Expansion } from '../types'
import { sourceKey } from '../types'
import { some, type Rule } from './rule'

/** What one step does to a table, in the order of the job. */
interface Use {
  readonly part: number
  readonly step: string
  readonly at: number
  readonly does: 'read' | 'write' | 'empty'
  /** Loads in which it does it to this table; 1 in a part that runs once. */
  readonly loads: number
}

/**
 * `cleared-too-early`: a table is emptied by each load of a part in which others fill it (they run side by side, in any
 * order), or is emptied after it was filled and before a later step reads it.
 */
export const clearedTooEarly: Rule = (expansion, facts, findings) => {
  for (const [id, uses] of usesOf(expansion, facts)) {
    const table = id.slice(id.indexOf('\n') + 1)
    for (const use of uses) {
      if (use.does !== 'empty') continue
      const part = expansion.parts[use.part]!
      const where = { part: use.part, step: use.step, path: 'sql.text' }
      const beside = part.roster
        ? uses.filter((other) => other.part === use.part && other.does !== 'empty' && other.loads > 1)
        : []
      if (beside.length > 0 && use.loads > 1) {
        findings.add(
          'cleared-too-early',
          'stop',
          `${use.step} empties ${table} in each of ${use.loads} loads, while other loads of the same part still need it (${some([...new Set(beside.map(({ step }) => step))])}); empty it once, in a part before`,
          where,
        )
        continue
      }
      const later = uses.filter((other) => other.at > use.at).sort((a, b) => a.at - b.at)
      const [next] = later
      const filled = uses.some((other) => other.at < use.at && other.does === 'write')
      if (filled && next?.does === 'read')
        findings.add(
          'cleared-too-early',
          'stop',
          `${use.step} empties ${table} before ${next.step} reads it`,
          where,
        )
    }
  }
}

function usesOf(expansion: Expansion, facts: Facts): Map<string, Use[]> {
  const order = new Map<string, number>()
  expansion.parts.forEach((part) => part.steps.forEach(({ id }) => order.set(id, order.size)))
  const counted = new Map<string, Use & { loads: number }>()
  const add = (connection: string, table: string, part: number, step: string, does: Use['does']) => {
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
  const byTable = new Map<string, Use[]>()
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
