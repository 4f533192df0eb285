import type { CheckSpec } from '../../core/job/checks'
import { quoteName } from '../../core/text/slot'
import { breaking } from './breaking'
import type { Checker } from './definition'

export const inRange: Checker<CheckSpec<'in_range'>> = {
  table: (checked, { column, from, to }) => {
    const name = quoteName(column)
    const ends = [
      ['<', from],
      ['>', to],
    ].filter(([, end]) => end !== undefined)
    return breaking(
      checked,
      ends.map(([than], i) => `${name} ${than} $${i + 1}`).join(' or '),
      ends.map(([, end]) => end),
      {
        why: `${column} lies outside of ${from ?? 'any'} to ${to ?? 'any'}`,
        advice: 'mend the source, or widen the check',
      },
    )
  },
}
