import { number, some } from '../../text/someOf'
import { marksWanted, type MarkWant } from '../markWants'
import type { MarkFact } from '../types'
import { loadGroups, type Rule } from './rule'

/** What is to be said of a mark, and how heavily. */
const says: readonly (readonly ['look' | 'note', (fact: MarkFact) => boolean, (want: MarkWant, fact: MarkFact) => string])[] = [
  ['look', ({ ahead }) => ahead, ({ name, table, column }, { value, top }) => `the mark ${name} stands at ${value}, and ${column} of ${table} ends at ${top}: nothing would be read`],
  ['look', ({ ties }) => ties, ({ table, column }) => `several rows of ${table} can have the same ${column}: one that comes later with the value of the mark is not read; take a column that is unique, or upsert by a query that looks back`],
  ['note', ({ value }) => value === null, ({ name, table }) => `there is no mark ${name} yet: all of ${table} is read`],
] // prettier-ignore

/** `watermark`: a mark that is empty, ahead of its source, or of a column with ties. */
export const watermark: Rule = (expansion, facts, findings) => {
  const groups = loadGroups<{ level: 'look' | 'note'; text: string; part: number; step: string }>()
  for (const want of marksWanted(expansion)) {
    const fact = facts.marks?.get(want.key)
    if (!fact) continue
    for (const [i, [level, holds, words]] of says.entries())
      if (holds(fact))
        groups.add(`${want.part} ${want.step} ${i}`, want, () => ({ level, text: words(want, fact), part: want.part, step: want.step })) // prettier-ignore
  }
  for (const { about, numbers, keys } of groups.list()) {
    const where = { part: about.part, step: about.step, path: 'transfer.since' }
    const text = keys.length === 1 ? about.text : `${about.text}; likewise of ${number(keys.length)} loads: ${some(keys)}` // prettier-ignore
    findings.add('watermark', about.level, text, where, numbers)
  }
}
