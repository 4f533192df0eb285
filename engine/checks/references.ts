import type { CheckSpec } from '../../core/job/checks'
import { quoteName } from '../../core/text/slot'
import { qualified } from '../connectors/postgres/tables'
import { breaking } from './breaking'
import type { Checker } from './definition'

/** A table as it is written, the schema being `public` where none is. */
function placeOf(table: string) {
  const dot = table.indexOf('.')
  return dot < 0
    ? { schema: 'public', name: table }
    : { schema: table.slice(0, dot), name: table.slice(dot + 1) }
}

export const references: Checker<CheckSpec<'references'>> = {
  async table(checked, { columns, table, to = columns }) {
    const other = checked.other ? await checked.other(table) : qualified(placeOf(table))
    const same = columns.map((column, i) => `o.${quoteName(to[i]!)} = checked.${quoteName(column)}`)
    const there = columns.map((column) => `checked.${quoteName(column)} is not null`)
    return await breaking(
      checked,
      `${there.join(' and ')} and not exists (select from ${other} o where ${same.join(' and ')})`,
      [],
      {
        why: `${columns.join(', ')} ${columns.length === 1 ? 'is' : 'are'} not in ${table}`,
        advice: `load ${table} first, or mend the source`,
      },
    )
  },
}
