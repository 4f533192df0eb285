import { nearestName } from '../../expression/nearest'
import { sourceKey } from '../types'
import { transfersOf } from '../view'
import { some } from '../../text/someOf'
import { loadGroups, type Rule } from './rule'
import { tableUses } from './tableUses'

/** `unknown-name` of a table: one that is read and is not there, with the nearest that is. */
export const missingTable: Rule = (expansion, facts, findings) => {
  const missing = loadGroups<{ part: number; step: string; name: string; table: string }>()
  for (const transfer of transfersOf(expansion)) {
    const { load, step, sourceConnection: name, sourceTable: table } = transfer
    if (name === undefined || table === undefined) continue
    const fact = facts.tables.get(sourceKey(name, table))
    if (!fact || fact.exists) continue
    const about = { part: load.part, step: step.id, name, table }
    missing.add([name, table, step.id].join('\n'), transfer, () => about)
  }
  const list = missing.list()
  if (list.length === 0) return
  const uses = tableUses(expansion, facts)
  const order = expansion.parts.flatMap((part) => part.steps.map(({ id }) => id))
  for (const { about, numbers, keys } of list) {
    const { part, step, name, table } = about
    // a step before makes it
    const made = uses
      .get(sourceKey(name, table))
      ?.some(({ does, at }) => does === 'write' && at < order.indexOf(step))
    if (made) continue
    const near = nearestName(table, facts.tables.get(sourceKey(name, table))?.others ?? [])
    findings.add(
      'unknown-name',
      'stop',
      `${some(keys)}: there is no table ${table} in ${name}${near ? `; did you mean ${near}?` : ''}`,
      { part, step, path: 'transfer.from.table', connection: name },
      numbers,
    )
  }
}
