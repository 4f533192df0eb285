import { quoteName } from '../../../core/text/slot'
import { checkRows } from '../../checks'
import { stagedRows } from '../stagedRows'
import { qualified, uniqueKeys } from '../../connectors/postgres/tables'
import { recorded, stepFault, type StepContext } from '../../context/step'
import type { Mode, Staged } from './definition'

export const upsert: Mode = {
  straight: false,
  settle: singleRows,
  async apply({ client, table, columns, spec, rows }, { outcome }) {
    const key = spec.into.key!
    const list = columns.map(quoteName).join(', ')
    const others = columns.filter((column) => !key.includes(column)).map(quoteName)
    const keys = key.map(quoteName).join(', ')
    const row = (of: string) => `(${others.map((column) => `${of}.${column}`).join(', ')})`
    const change =
      others.length === 0
        ? 'do nothing'
        : `do update set ${others.map((column) => `${column} = excluded.${column}`).join(', ')}
           where ${row('t')} is distinct from ${row('excluded')}`
    // rows in key order, so that two loads of one table never wait for each other in a ring
    const { rowCount } = await recorded(
      client,
      outcome,
      spec.into.connection,
      `insert into ${qualified(table)} as t (${list}) select ${list} from mattock_stage order by ${keys} on conflict (${keys}) ${change}`,
    )
    return { written: rowCount ?? 0, unchanged: rows - (rowCount ?? 0) }
  },
}

/** Makes the key hold within the stage; returns the rows that are left. */
async function singleRows({ client, table, spec, rows }: Staged, context: StepContext): Promise<number> {
  const key = spec.into.key!
  const wanted = [...key].sort().join('\n')
  const keys = await uniqueKeys(client, table)
  if (!keys.some((columns) => [...columns].sort().join('\n') === wanted)) {
    stepFault(
      'no-unique-key',
      `${table.schema}.${table.name} has no unique index on ${key.join(', ')}, which upsert needs`,
      `create unique index on ${qualified(table)} (${key.map(quoteName).join(', ')})`,
    )
  }
  await checkRows([{ not_null: [...key] }], stagedRows(client, spec, context))
  if (spec.into.repeats === 'fail') {
    await checkRows([{ unique: [...key] }], stagedRows(client, spec, context))
    return rows
  }
  const list = key.map(quoteName).join(', ')
  const { rowCount } = await recorded(
    client,
    context.outcome,
    spec.into.connection,
    `delete from mattock_stage where mattock_line in (select mattock_line from (select mattock_line, row_number() over (partition by ${list} order by mattock_line desc) as place from mattock_stage) ranked where place > 1)`,
  )
  return rows - (rowCount ?? 0)
}
