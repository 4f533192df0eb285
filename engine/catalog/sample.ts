import { isRelation } from '../../core/catalog/datasetKinds'
import { quoteName } from '../../core/text/slot'
import { openPostgres } from '../connectors/connections'
import { qualified } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { catalogColumns, datasetTable, withDataset, type Dataset } from './reading'

export interface Sample {
  readonly columns: readonly string[]
  /** Texts as the source writes them; null for what is not there. */
  readonly rows: readonly (readonly (string | null)[])[]
}

/** The first rows of a dataset, by the catalog's names. Of files, of the newest few. */
export async function sampleRows(engine: Engine, entry: Dataset, limit: number): Promise<Sample> {
  const columns = catalogColumns(entry)
  if (!isRelation(entry.kind))
    return await withDataset(engine, entry, 3, async (duck, relation) => {
      const there = columns.filter(({ source }) => relation.columns.some(({ name }) => name === source))
      const list = there.map(({ source }) => `cast(${quoteName(source)} as varchar)`).join(', ')
      const reader = await duck.runAndReadAll(`select ${list} from ${relation.sql} limit ${limit}`)
      return { columns: there.map(({ name }) => name), rows: reader.getRows() as (string | null)[][] }
    })
  const pool = await openPostgres(engine, entry.connection, entry.environment)
  const list = columns.map(({ source }) => `${quoteName(source)}::text`).join(', ')
  const { rows } = await pool.query<(string | null)[]>({
    text: `select ${list} from ${qualified(datasetTable(entry))} limit ${limit}`,
    rowMode: 'array',
  })
  return { columns: columns.map(({ name }) => name), rows }
}
