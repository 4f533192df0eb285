import type pg from 'pg'
import { valueTypeOf } from '../../../core/catalog/types'
import type { BoundValue } from '../../../core/text/slot'
import type { Table } from '../../../core/value'
import { readValue } from '../../control/rows'
import { readingSql } from './session'

/** At most so many rows of a SELECT, in a transaction that cannot write and whose clock is that of `zone`. The first column is the key where the roster names none. */
export async function queryRows(
  pool: pg.Pool,
  text: string,
  values: readonly BoundValue[],
  zone: string,
  most: number,
): Promise<Table> {
  const client = await pool.connect()
  try {
    await client.query(`begin read only; ${readingSql(zone)}`)
    await client.query(`set local statement_timeout = '60s'`)
    const own = text.trim().replace(/;\s*$/, '')
    const found = await client.query<(string | null)[]>({
      text: `select * from (\n${own}\n) asked limit ${most}`,
      values: [...values] as unknown[],
      rowMode: 'array',
      types: { getTypeParser: () => (value: string) => value },
    } as unknown as pg.QueryArrayConfig)
    const oids = found.fields.map(({ dataTypeID }) => dataTypeID)
    const { rows: names } = await client.query<{ type: string }>(
      'select format_type(oid, null) as type from unnest($1::oid[]) with ordinality t(oid, n) order by n',
      [oids],
    )
    const columns = found.fields.map(({ name }, i) => ({ name, type: valueTypeOf(names[i]!.type) }))
    return {
      columns,
      key: columns.slice(0, 1).map(({ name }) => name),
      rows: found.rows.map((row) =>
        Object.fromEntries(columns.map(({ name, type }, i) => [name, readValue(row[i] ?? null, type)])),
      ),
    }
  } finally {
    await client.query('rollback').catch(() => {})
    client.release()
  }
}
