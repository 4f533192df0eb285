import { some } from '../../text/someOf'
import type { Rule } from './rule'
import { comesBefore } from '../../job/order'
import { tableUses } from './tableUses'

/**
 * `cleared-too-early`: a table is emptied by each load of a part in which others fill it (they run side by side, in any
 * order), or while another step fills or reads it that runs beside it, or is emptied after it was filled and before a later
 * step reads it.
 */
export const clearedTooEarly: Rule = (expansion, facts, findings) => {
  const before = comesBefore(expansion.request.job)
  for (const [id, uses] of tableUses(expansion, facts)) {
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
      const meanwhile = uses.find((other) => other.step !== use.step && other.does !== 'empty' && !before(use, other) && !before(other, use)) // prettier-ignore
      if (meanwhile) {
        findings.add(
          'cleared-too-early',
          'stop',
          `${use.step} empties ${table} while ${meanwhile.step}, which runs beside it, ${meanwhile.does === 'read' ? 'reads' : 'fills'} it; let one wait for the other`,
          where,
        )
        continue
      }
      const later = uses.filter((other) => before(use, other)).sort((a, b) => a.at - b.at)
      const [next] = later
      const filled = uses.some((other) => before(other, use) && other.does === 'write')
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
