import { qualified } from '../../connectors/postgres/tables'
import { recorded } from '../../context/step'
import type { Mode } from './definition'
import { guardEmpty } from './guard'
import { insertAll } from './insert'

export const replaceAll: Mode = {
  straight: false,
  async apply(staged, context) {
    const { client, table, spec } = staged
    if (staged.rows === 0 && !spec.into.allow_empty) {
      const { rows } = await client.query<{ n: string }>(`select count(*) as n from ${qualified(table)}`)
      guardEmpty(staged, Number(rows[0]!.n), context)
    }
    await recorded(client, context.outcome, spec.into.connection, `truncate ${qualified(table)}`)
    return await insertAll(staged, context)
  },
}
