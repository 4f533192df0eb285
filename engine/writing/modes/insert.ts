import { quoteName } from '../../../core/text/slot'
import { qualified } from '../../connectors/postgres/tables'
import { recorded, type StepContext } from '../../context/step'
import type { Applied, Staged } from './definition'

/** Puts all staged rows into the table. */
export async function insertAll(
  { client, table, columns, spec }: Staged,
  { outcome }: StepContext,
): Promise<Applied> {
  const list = columns.map(quoteName).join(', ')
  const { rowCount } = await recorded(
    client,
    outcome,
    spec.into.connection,
    `insert into ${qualified(table)} (${list}) select ${list} from mattock_stage`,
  )
  return { written: rowCount ?? 0, unchanged: 0 }
}
