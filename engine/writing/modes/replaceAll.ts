import { qualified } from '../../connectors/postgres/tables'
import { recorded } from '../../context/step'
import type { Mode } from './definition'
import { insertAll } from './insert'

export const replaceAll: Mode = {
  straight: false,
  async apply(staged, context) {
    const { client, table, spec } = staged
    await recorded(client, context.outcome, spec.into.connection, `truncate ${qualified(table)}`)
    return await insertAll(staged, context)
  },
}
