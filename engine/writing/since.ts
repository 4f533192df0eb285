import pg from 'pg'
import { quoteName } from '../../core/text/slot'
import type { Transfer } from '../../core/job/steps/transfer'
import type { MarkMove } from '../../database/schema'
import { qualified } from '../connectors/postgres/tables'
import { readingSql } from '../connectors/postgres/session'
import { recorded, stepFault, type StepContext } from '../context/step'
import { transaction } from '../context/transaction'
import type { DatabaseSource } from '../reading/database'

/** The table of marks that Mattock keeps in a target, so that a mark moves with the rows it stands for. */
export async function ensureMarks(pool: pg.Pool): Promise<void> {
  if (await hasMarks(pool)) return
  await transaction(pool, async (client) => {
    await client.query(`select pg_advisory_xact_lock(hashtext('mattock.load_mark'))`)
    await client.query('create schema if not exists mattock')
    await client.query(`create table if not exists mattock.load_mark (
      installation text not null, environment text not null, name text not null, value text,
      at timestamptz not null default clock_timestamp(), load bigint, primary key (installation, environment, name))`)
  })
}

export async function hasMarks(db: Pick<pg.Pool, 'query'>): Promise<boolean> {
  const { rows } = await db.query<{ there: boolean }>(
    `select to_regclass('mattock.load_mark') is not null as there`,
  )
  return rows[0]!.there
}

/** Rows of a source past a mark, and what the mark becomes when they have been written. */
export interface Marked {
  readonly source: DatabaseSource
  /** Moves the mark, in the transaction that writes the rows. */
  readonly move: () => Promise<void>
}

/**
 * Narrows a source to what is past its mark, up to the largest value that is there now. The mark is locked until the
 * transaction of `client` ends, so that two loads of one mark come one after the other.
 * @throws StepFault `no-column` where the source has no such column
 */
export async function sinceMark(
  client: pg.PoolClient,
  sources: pg.Pool,
  source: DatabaseSource,
  on: string,
  { column }: NonNullable<Transfer['since']>,
  context: StepContext,
): Promise<Marked> {
  const { outcome, text, installation, environment, load, aside } = context
  const name = text('since.kept_as').text
  const key = [installation, environment, name]
  const mark = await lockedMark(client, key, aside !== undefined)
  const further = await topOf(sources, source, on, column, mark, context)
  const { top, type, ahead, nulls } = further
  const said = mark === null ? 'no mark yet' : `past ${mark}`
  outcome.log.push(
    top === null
      ? `${said}: the source has no value in ${column}`
      : ahead
        ? `the mark ${name} stands at ${mark}, and the source ends at ${top}: nothing is read`
        : `only what is new by ${column}: ${said}, up to ${top}`,
  )
  if (nulls) outcome.log.push(`rows without a value in ${column} are never past the mark, and are not read`)
  const literal = (value: string) => `${pg.escapeLiteral(value)}::${type}`
  const own = quoteName(column)
  const past = mark === null ? '' : `${own} > ${literal(mark)} and `
  return {
    source: { ...source, where: top === null ? 'false' : `${past}${own} <= ${literal(top)}` },
    move: async () => {
      if (aside || top === null || ahead || top === mark) return
      await client.query(
        'update mattock.load_mark set value = $4, at = clock_timestamp(), load = $5 where installation = $1 and environment = $2 and name = $3',
        [...key, top, load],
      )
      outcome.mark = { name, from: mark, to: top } satisfies MarkMove
    },
  }
} // prettier-ignore

/** The mark as it stands, locked; in a try it is only read. */
async function lockedMark(
  client: pg.ClientBase,
  key: readonly string[],
  looking: boolean,
): Promise<string | null> {
  if (looking && !(await hasMarks(client as unknown as pg.Pool))) return null
  if (!looking)
    await client.query(
      'insert into mattock.load_mark (installation, environment, name) values ($1, $2, $3) on conflict do nothing',
      [...key],
    )
  const { rows } = await client.query<{ value: string | null }>(
    `select value from mattock.load_mark where installation = $1 and environment = $2 and name = $3 ${looking ? '' : 'for update'}`,
    [...key],
  )
  return rows[0]?.value ?? null
}

/** How far a source goes: its largest value as the database writes it, and whether a mark is past that. */
async function topOf(
  pool: pg.Pool,
  source: DatabaseSource,
  on: string,
  column: string,
  mark: string | null,
  { outcome, zone }: StepContext,
): Promise<{ top: string | null; type: string; ahead: boolean; nulls: boolean }> {
  const own = quoteName(column)
  const from = source.kind === 'table' ? qualified(source.table) : `(\n${source.text.trim().replace(/;\s*$/, '')}\n) as given` // prettier-ignore
  const values = source.kind === 'query' ? source.values : []
  const client = await pool.connect()
  try {
    // written as it is read again where rows are copied
    await client.query(`begin read only; ${readingSql(zone)}`)
    const { rows } = await recorded(
      client,
      outcome,
      on,
      `select max(${own})::text as top, pg_typeof(max(${own}))::text as type, bool_or(${own} is null) as nulls from ${from}`,
      values,
    ).catch((error: Error & { code?: string }) => {
      if (error.code === '42703') stepFault('no-column', `the source has no column ${column}: ${error.message}`, 'mend since in the job') // prettier-ignore
      throw error
    })
    const { top, type, nulls } = rows[0] as { top: string | null; type: string; nulls: boolean | null }
    if (top === null) return { top, type, ahead: false, nulls: nulls ?? false }
    // a mark is kept by one clock, whatever the job's zone becomes
    await client.query("set local timezone to 'UTC'")
    const { rows: compared } = await client.query<{ top: string; ahead: boolean | null }>(
      `select t.top::text as top, $1::${type} > t.top as ahead from (select $2::${type} as top) t`,
      [mark, top],
    )
    return { top: compared[0]!.top, type, ahead: compared[0]!.ahead ?? false, nulls: nulls ?? false }
  } finally {
    await client.query('rollback').catch(() => {})
    client.release()
  }
}
