import { connectionUses } from '../view'
import type { Rule } from './rule'

/** `over-cap`: a part asks for more loads at once than a connection allows. */
export const overCap: Rule = (expansion, facts, findings) => {
  const asked = new Map<string, { atOnce: number; part: number; step: string; path: string }>()
  for (const { part: index, name, step, path } of connectionUses(expansion)) {
    const part = expansion.parts[index]!
    const known = asked.get(name)
    if (!known || part.atOnce > known.atOnce)
      asked.set(name, { atOnce: part.atOnce, part: part.index, step, path })
  }
  for (const [name, { atOnce, part, step, path }] of asked) {
    const cap = Object.hasOwn(facts.connections, name) ? facts.connections[name]!.cap : null
    if (cap === null || atOnce <= cap) continue
    findings.add(
      'over-cap',
      'look',
      `${atOnce} loads at once are asked for, ${name} allows ${cap}; the others will wait`,
      { part, step, path, connection: name },
    )
  }
}
