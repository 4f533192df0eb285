import { fail } from '../../core/fault'
import { kept, keptKinds, type Kept, type KeptKind } from '../../core/keeping/kinds'
import { retention } from '../../database/schema'
import type { Engine } from '../context/engine'
import { sweepTemporary } from '../context/temporary'
import { clearTries } from '../trying/try'
import type { Amount } from './definition'
import { keepers } from './index'
import { sweepRejects } from './rejects'
import { noteSwept } from './swept'

const day = 86_400_000

export interface KeptAmount extends Amount, Omit<Kept, 'days'> {
  readonly kind: KeptKind
  /** Null: for ever. */
  readonly days: number | null
  /** Who set the days; null where they are as they came. */
  readonly setBy: string | null
}

/** How long each kind is kept, as it was set or else as its definition says. */
async function daysOf(
  engine: Engine,
): Promise<Record<KeptKind, { days: number | null; setBy: string | null }>> {
  const set = new Map((await engine.db.select().from(retention)).map((row) => [row.kind, row]))
  const of = (kind: KeptKind) => {
    const own = set.get(kind)
    return own ? { days: own.days, setBy: own.updatedBy } : { days: kept[kind].days, setBy: null }
  }
  return Object.fromEntries(keptKinds.map((kind) => [kind, of(kind)])) as Awaited<ReturnType<typeof daysOf>>
}

const beforeOf = (days: number | null, now: number): string | null =>
  days === null ? null : new Date(now - days * day).toISOString()

/** What is kept: how much of each kind, since when, for how long, and what would go now. */
export async function amounts(engine: Engine, now = Date.now()): Promise<KeptAmount[]> {
  const set = await daysOf(engine)
  return await Promise.all(
    keptKinds.map(async (kind) => ({
      ...kept[kind],
      kind,
      ...set[kind],
      ...(await keepers[kind].amount(engine, beforeOf(set[kind].days, now))),
    })),
  )
}

/** How many would go if a kind were kept for so many days. */
export async function wouldGo(
  engine: Engine,
  kind: KeptKind,
  days: number | null,
  now = Date.now(),
): Promise<number> {
  return (await keepers[kind].amount(engine, beforeOf(days, now))).goes
}

/** Sets how long a kind is kept; null for ever. @throws FaultError `request` for fewer days than may be set */
export async function keepFor(
  engine: Engine,
  kind: KeptKind,
  days: number | null,
  by: string,
): Promise<void> {
  const { title, fewest } = kept[kind]
  if (days !== null && !(Number.isInteger(days) && days >= fewest))
    fail('request', `${title} are kept for ${fewest} ${fewest === 1 ? 'day' : 'days'} at least`, {
      path: 'days',
    })
  const values = { days, updatedBy: by, updatedAt: new Date().toISOString() }
  await engine.db
    .insert(retention)
    .values({ kind, ...values })
    .onConflictDoUpdate({ target: retention.kind, set: values })
}

/**
 * Takes away what is older than it is to be kept, in batches, until nothing is left. One process at a time; another
 * that comes meanwhile leaves it to the first. Returns how many went of each kind.
 */
export async function tidy(engine: Engine, now = Date.now()): Promise<Partial<Record<KeptKind, number>>> {
  // each machine sweeps its own
  await noteSwept(engine, 'folders', await sweepTemporary())
  const client = await engine.db.$client.connect()
  const gone: Partial<Record<KeptKind, number>> = {}
  try {
    const { rows } = await client.query<{ mine: boolean }>('select pg_try_advisory_lock(7301955) as mine')
    if (!rows[0]!.mine) return gone
    try {
      await noteSwept(engine, 'tries', await clearTries(engine))
      const set = await daysOf(engine)
      for (const kind of Object.keys(keepers) as KeptKind[]) {
        const before = beforeOf(set[kind].days, now)
        if (before === null) continue
        for (;;) {
          const went = await keepers[kind].takeAway(engine, before)
          if (went === 0) break
          gone[kind] = (gone[kind] ?? 0) + went
        }
      }
      await noteSwept(engine, 'rejects', await sweepRejects(engine))
      const { rows: jobs } = await client.query<{ swept: number }>('select mattock.sweep_queue() as swept')
      await noteSwept(engine, 'jobs', jobs[0]!.swept)
      await client.query(`delete from mattock.pace where not exists (
        select 1 from unnest(asked) t where t > clock_timestamp() - interval '1 minute')`)
    } finally {
      await client.query('select pg_advisory_unlock(7301955)')
    }
    if (Object.keys(gone).length > 0) {
      engine.log.info({ gone }, 'took away what was older than it is to be kept')
      await client.query(`select pg_notify('mattock', '{"kept":true}')`)
    }
    return gone
  } finally {
    client.release()
  }
}

/** Asks the workers to tidy soon; asked twice before one comes to it, it is done once. */
export async function askToTidy(engine: Engine): Promise<void> {
  await engine.db.$client.query(
    `select graphile_worker.add_job('tidy', '{}'::json, job_key := 'tidy', max_attempts := 1)`,
  )
}
