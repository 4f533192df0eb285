import type { CheckSpec } from '../../core/job/checks'
import { quoteName } from '../../core/text/slot'
import { breaking } from './breaking'
import type { Checker } from './definition'

export const oneOf: Checker<CheckSpec<'one_of'>> = {
  table: (checked, { column, values }) =>
    breaking(checked, `${quoteName(column)} is not null and ${quoteName(column)} <> all ($1)`, [values], {
      why: `${column} is none of ${values.map(String).join(', ')}`,
      advice: 'mend the source, or name the value in the check',
    }),
}
