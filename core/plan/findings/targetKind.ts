import { sourceKey } from '../types'
import { transfersOf } from '../view'
import { some } from '../../text/someOf'
import { loadGroups, type Rule } from './rule'

interface About {
  readonly part: number
  readonly step: string
  readonly name: string
  readonly table: string
  readonly like?: string
}

/** `target-kind`: a target that is a view, which no load fills by itself. */
export const targetKind: Rule = (expansion, facts, findings) => {
  for (const { about, numbers, keys } of targets(expansion, facts, ({ view }) => view === true))
    findings.add(
      'target-kind',
      'stop',
      `${some(keys)}: ${about.table} in ${about.name} is a view; rows go into a table`,
      { part: about.part, step: about.step, path: 'transfer.into.table', connection: about.name },
      numbers,
    )
}

/** `like-target`: a table would be made although one stands whose name differs in blanks, signs or case only. */
export const likeTarget: Rule = (expansion, facts, findings) => {
  for (const { about, numbers, keys } of targets(expansion, facts, ({ exists }) => !exists)) {
    if (about.like === undefined) continue
    findings.add(
      'like-target',
      'look',
      `${some(keys)}: ${about.table} would be made, and ${about.like} stands already; is it meant?`,
      { part: about.part, step: about.step, path: 'transfer.into.table', connection: about.name },
      numbers,
    )
  }
}

/** A name without what is easily written otherwise. */
const plain = (table: string): string => table.toLowerCase().replace(/[\s_-]+/g, '')

function targets(
  expansion: Parameters<Rule>[0],
  facts: Parameters<Rule>[1],
  wanted: (fact: { readonly exists: boolean; readonly view?: boolean }) => boolean,
) {
  const groups = loadGroups<About>()
  for (const transfer of transfersOf(expansion)) {
    const { load, step, connection: name, target: table, spec } = transfer
    if (name === undefined || table === undefined || spec.into.store !== undefined) continue
    const fact = facts.tables.get(sourceKey(name, table))
    if (!fact || !wanted(fact)) continue
    groups.add([name, table, step.id].join('\n'), transfer, () => {
      const like = fact.others?.find((other) => plain(other) === plain(table))
      return { part: load.part, step: step.id, name, table, ...(like ? { like } : {}) }
    })
  }
  return groups.list()
}
