import type { DuckDBConnection } from '@duckdb/node-api'
import { quoteName } from '../../core/text/slot'
import type { FirstRows } from './definition'

/** The first rows that a relation of DuckDB gives, as text. */
export async function firstOf(
  duck: DuckDBConnection,
  sql: string,
  limit: number,
  note: string,
): Promise<FirstRows> {
  const described = await duck.runAndReadAll(`describe select * exclude (mattock_file) from ${sql}`)
  const columns = (described.getRows() as [string, string][]).map(([name, type]) => ({
    name,
    type: type.toLowerCase(),
  }))
  const list = columns.map(({ name }) => `cast(${quoteName(name)} as varchar)`).join(', ')
  const reader = await duck.runAndReadAll(`select ${list} from ${sql} limit ${limit}`)
  return { columns, rows: reader.getRows() as (string | null)[][], note }
}
