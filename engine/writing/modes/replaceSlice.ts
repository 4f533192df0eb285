import { quoteName } from '../../../core/text/slot'
import { qualified } from '../../connectors/postgres/tables'
import { recorded, stepFault } from '../../context/step'
import type { Mode } from './definition'
import { insertAll } from './insert'

export const replaceSlice: Mode = {
  straight: false,
  async apply(staged, context) {
    const { client, table, spec } = staged
    if (!context.slice)
      stepFault(
        'no-slice',
        'replace-slice is used in a part without slices',
        'give the job slices, or another write mode',
      )
    const by = quoteName(spec.into.slice_by!)
    const values = [context.slice.from, context.slice.to]
    const { rows } = await client.query<{ outside: string }>(
      `select count(*) as outside from mattock_stage where ${by} is null or ${by} < $1 or ${by} >= $2`,
      values,
    )
    const outside = Number(rows[0]!.outside)
    if (outside > 0)
      stepFault(
        'outside-slice',
        `${outside} rows have a ${spec.into.slice_by} outside the slice`,
        'look at the file, or load it with upsert',
      )
    await recorded(
      client,
      context.outcome,
      spec.into.connection,
      `delete from ${qualified(table)} where ${by} >= $1 and ${by} < $2`,
      values,
    )
    return await insertAll(staged, context)
  },
}
