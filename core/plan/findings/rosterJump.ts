import { number } from '../../text/someOf'
import type { Rule } from './rule'

/** A change that is worth a look: by a third or more, and by three rows at least (our choice, no source). */
const jumped = (before: number, now: number): boolean =>
  Math.abs(now - before) >= 3 && Math.abs(now - before) >= before / 3

/** `roster-jump`: a roster has many more or many fewer rows than in the last run. An empty one has a finding of its own. */
export const rosterJump: Rule = (expansion, facts, findings) => {
  if (!facts.before || expansion.request.only) return
  for (const part of expansion.parts) {
    const before = facts.before.rows[part.index]
    const now = part.roster?.rows.length
    if (before === undefined || now === undefined || now === 0 || !jumped(before, now)) continue
    findings.add(
      'roster-jump',
      'look',
      `the roster has ${number(now)} rows; in run ${facts.before.run} it had ${number(before)}`,
      { part: part.index, path: `parts.${part.index}.each.roster` },
    )
  }
}
