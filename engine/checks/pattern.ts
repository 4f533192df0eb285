import type { CheckSpec } from '../../core/job/checks'
import { quoteName } from '../../core/text/slot'
import { breaking } from './breaking'
import type { Checker } from './definition'

/** A pattern for the whole value; options at its beginning, such as (?i), stay there (Postgres's manual, 9.7.3.4). */
const whole = (pattern: string): string =>
  pattern.replace(
    /^(\(\?[a-z]+\))?([\s\S]*)$/,
    (_, options: string | undefined, rest: string) => `${options ?? ''}^(?:${rest})$`,
  )

export const pattern: Checker<CheckSpec<'pattern'>> = {
  table: (checked, { column, matches }) =>
    breaking(checked, `${quoteName(column)}::text !~ $1`, [whole(matches)], {
      why: `${column} is not like ${matches}`,
      advice: 'mend the source, or the pattern',
    }),
}
