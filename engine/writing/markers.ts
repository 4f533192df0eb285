import type pg from 'pg'
import { noRows } from '../../core/balance/balance'
import { emptyOutcome, type Outcome, type StepContext } from '../context/step'
import { transaction } from '../context/transaction'

const ensured = new WeakMap<pg.Pool, Promise<void>>()

/** The table of markers that Mattock keeps in a target: a load that is in it has taken effect. */
export function ensureMarkers(pool: pg.Pool): Promise<void> {
  let done = ensured.get(pool)
  if (!done) {
    done = makeMarkers(pool)
    ensured.set(pool, done)
    done.catch(() => ensured.delete(pool))
  }
  return done
}

async function makeMarkers(pool: pg.Pool): Promise<void> {
  const { rows } = await pool.query<{ there: boolean }>(
    `select to_regclass('mattock.load_marker') is not null as there`,
  )
  if (rows[0]!.there) return
  await transaction(pool, async (client) => {
    await client.query(`select pg_advisory_xact_lock(hashtext('mattock.load_marker'))`)
    await client.query('create schema if not exists mattock')
    await client.query(`create table if not exists mattock.load_marker (
      installation text not null, load bigint not null, step text not null, run integer not null,
      at timestamptz not null default clock_timestamp(), outcome jsonb not null, primary key (installation, load, step))`)
  })
}

/**
 * What an earlier attempt of this load recorded when it took effect, if one did; of the load that this one repeats, too,
 * where that one failed at this step, and yet it had taken effect: its connection was lost when it committed.
 */
export async function readMarker(
  client: pg.ClientBase,
  context: Pick<StepContext, 'installation' | 'load' | 'step' | 'repeats'>,
): Promise<Outcome | undefined> {
  const { rows } = await client.query<{ outcome: Partial<Outcome>; writtenIn: string }>({
    name: 'mattock-read-marker',
    text: 'select outcome, xmin::text as "writtenIn" from mattock.load_marker where installation = $1 and load = any ($2) and step = $3 order by load desc limit 1',
    values: [context.installation, context.repeats === undefined ? [context.load] : [context.load, context.repeats], context.step], // prettier-ignore
  })
  const [found] = rows
  if (!found) return undefined
  // one of an earlier Mattock lacks what is kept since
  const whole = { ...emptyOutcome(), ...found.outcome }
  return { ...whole, counts: { ...noRows, ...whole.counts }, writtenIn: found.writtenIn }
}

/**
 * Writes the marker in the load's own transaction. A second attempt at the same time fails on its primary key. The number
 * that the marker bears is that of the rows written beside it, so that they can be counted later.
 */
export async function writeMarker(client: pg.ClientBase, context: StepContext): Promise<void> {
  if (context.aside) return
  const { rows } = await client.query<{ writtenIn: string }>({
    name: 'mattock-write-marker',
    text: 'insert into mattock.load_marker (installation, load, step, run, outcome) values ($1, $2, $3, $4, $5) returning xmin::text as "writtenIn"',
    values: [context.installation, context.load, context.step, context.run, JSON.stringify(context.outcome)],
  })
  context.outcome.writtenIn = rows[0]!.writtenIn
}
