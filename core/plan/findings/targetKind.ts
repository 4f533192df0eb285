import { sourceKey } from '../types'
import { transfersOf } from '../view'
import { some } from '../../text/someOf'
import { loadGroups, type LoadGroup, type Rule } from './rule'

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

/** `like-target` of tables that this plan would make: names that differ in blanks, signs or case only are two tables. */
export const likeTargets: Rule = (expansion, facts, findings) => {
  const alike = new Map<string, Map<string, LoadGroup<About>>>()
  for (const group of targets(expansion, facts, ({ exists }) => !exists)) {
    const { name, table } = group.about
    const id = `${name}\n${plain(table)}`
    const known = alike.get(id)
    if (known) known.set(table, group)
    else alike.set(id, new Map([[table, group]]))
  }
  for (const groups of alike.values()) {
    if (groups.size < 2) continue
    const [{ about }] = [...groups.values()] as [LoadGroup<About>]
    findings.add(
      'like-target',
      'look',
      `${[...groups].map(([table, { keys }]) => `"${table}" (${some(keys)})`).join(' and ')} would be made as tables of their own; is it meant?`,
      { part: about.part, step: about.step, path: 'transfer.into.table', connection: about.name },
      [...groups.values()].flatMap(({ numbers }) => numbers).sort((a, b) => a - b),
    )
  }
}

/** `dotted-name`: a table that would be made with a dot in its name: a dot that comes out of a value parts nothing. */
export const dottedName: Rule = (expansion, facts, findings) => {
  const steps = loadGroups<About>()
  for (const { about, numbers, keys } of targets(expansion, facts, ({ exists }) => !exists))
    if (nameOf(about.table).includes('.'))
      numbers.forEach((number, i) =>
        steps.add(`${about.part}/${about.step}`, { number, load: { key: keys[i]! } }, () => about),
      )
  for (const { about, numbers, keys } of steps.list())
    findings.add(
      'dotted-name',
      'look',
      `${some(keys)}: a table called "${nameOf(about.table)}" would be made in ${about.table.slice(0, about.table.indexOf('.'))}: a dot that comes out of a value is a letter of the name. Write "{row.schema}.{row.table}" where it should part the two`,
      { part: about.part, step: about.step, path: 'transfer.into.table', connection: about.name },
      numbers,
    )
}

const nameOf = (table: string): string => table.slice(table.indexOf('.') + 1)

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
