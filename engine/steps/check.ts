import type pg from 'pg'
import { quoteName } from '../../core/text/slot'
import type { Check } from '../../core/job/document'
import type { Row } from '../../core/value'
import { recorded, stepFault, type Outcome } from '../context/work'

/**
 * Holds a check against a table or a staging table.
 * @param table as SQL writes it, quoted · @param said what the reader knows it as
 * @throws StepFault `check` with some of the rows that break it
 */
export async function checkTable(
  client: pg.ClientBase,
  table: string,
  said: string,
  check: Check,
  outcome: Outcome,
  on: string,
): Promise<void> {
  if (check.unique) await checkUnique(client, table, said, check.unique, outcome, on)
  if (check.not_null) await checkNotNull(client, table, said, check.not_null, outcome, on)
  if (check.rows) await checkRows(client, table, said, check.rows, outcome, on)
}

const number = (value: unknown): number => Number(value)
const many = (value: number): string => value.toLocaleString('en')

async function checkUnique(
  client: pg.ClientBase,
  table: string,
  said: string,
  columns: readonly string[],
  outcome: Outcome,
  on: string,
): Promise<void> {
  const list = columns.map(quoteName).join(', ')
  const { rows } = await recorded(
    client,
    outcome,
    on,
    `select coalesce(sum(n), 0) as repeated, count(*) as groups from (select count(*) as n from ${table} group by ${list} having count(*) > 1) g`,
  )
  const repeated = number(rows[0].repeated)
  if (repeated === 0) return
  const sample = await client.query<Row>(
    `select ${list}, count(*)::int as rows from ${table} group by ${list} having count(*) > 1 order by ${list} limit 20`,
  )
  stepFault(
    'check',
    `${many(repeated)} rows of ${said} share ${columns.join(' and ')}`,
    'mend the source, or keep the last of each with repeats: keep-last',
    sample.rows.map(textRow),
  )
}

async function checkNotNull(
  client: pg.ClientBase,
  table: string,
  said: string,
  columns: readonly string[],
  outcome: Outcome,
  on: string,
): Promise<void> {
  const { rows } = await recorded(
    client,
    outcome,
    on,
    `select ${columns.map((column, i) => `count(*) filter (where ${quoteName(column)} is null) as c${i}`).join(', ')} from ${table}`,
  )
  const empty = columns.flatMap((column, i) => {
    const count = number(rows[0][`c${i}`])
    return count > 0 ? [`${column} is empty in ${many(count)} rows`] : []
  })
  if (empty.length === 0) return
  const sample = await client.query<Row>(
    `select * from ${table} where ${columns.map((column) => `${quoteName(column)} is null`).join(' or ')} limit 20`,
  )
  stepFault(
    'check',
    `${empty.join('; ')} of ${said}`,
    'mend the source, or take the column out of the check',
    sample.rows.map(textRow),
  )
}

async function checkRows(
  client: pg.ClientBase,
  table: string,
  said: string,
  band: NonNullable<Check['rows']>,
  outcome: Outcome,
  on: string,
): Promise<void> {
  const { rows } = await recorded(client, outcome, on, `select count(*) as n from ${table}`)
  const count = number(rows[0].n)
  if (band.at_least !== undefined && count < band.at_least) {
    stepFault(
      'check',
      `${many(count)} rows in ${said}, at least ${many(band.at_least)} are expected`,
      'look whether the source is complete',
    )
  }
  if (band.at_most !== undefined && count > band.at_most) {
    stepFault(
      'check',
      `${many(count)} rows in ${said}, at most ${many(band.at_most)} are expected`,
      'look whether the source holds more than it should',
    )
  }
}

/** Values as text, fit for the record. */
function textRow(row: Record<string, unknown>): Row {
  return Object.fromEntries(
    Object.entries(row)
      .filter(([name]) => name !== 'mattock_line')
      .map(([name, value]) => [
        name,
        value === null
          ? null
          : value instanceof Date
            ? value.toISOString()
            : typeof value === 'object'
              ? JSON.stringify(value)
              : String(value),
      ]),
  )
}
