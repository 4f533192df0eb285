import type pg from 'pg'
import { groupBy } from '../../core/group'
import { decide, type Decided } from '../../core/schedule/decide'
import { slicesToTake, spanOf } from '../../core/schedule/takes'
import { slicesBetween, withRestated } from '../../core/slice/slices'
import { missedWay, startTakes, startText, startTimes, type Start } from '../../core/job/starts'
import type { Job } from '../../core/job/document'
import type { PlanPick } from '../../core/plan/types'
import type { Row } from '../../core/value'
import type { SeenRefresh } from '../../database/records'
import type { OccasionState } from '../../database/schedule'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { documentOf } from '../jobs/versions'
import { pauseAt, pausesSince, type Pause } from './pauses'

/** Starts that one transaction decides about. */
const batch = 100
/** Times of a start that are decided about together. */
const mostTimes = 1000
/** Milliseconds; no rule of crontab leaves out more years than between two 29ths of February on a Monday. */
const far = 41 * 366 * 86_400_000

export interface StateRow {
  readonly environment: string
  readonly job: string
  readonly start: string
  readonly kind: string
  readonly since: string
  readonly text: string
}

/** What is to be kept of a time that came. */
export interface Came {
  readonly key: string
  readonly at: number
  readonly state: OccasionState
  readonly cause: string
  readonly why?: string | undefined
  readonly slices?: { readonly from: string; readonly to: string } | undefined
  readonly seen?: readonly SeenRefresh[]
  /** The rows and slices that it takes, where not all of them. */
  readonly picks?: readonly PlanPick[] | undefined
  /** Values for parameters, besides those that the start says. */
  readonly parameters?: Readonly<Row> | undefined
}

/**
 * Decides about the times that have come, of a batch of starts: keeps what was decided, and when each start is looked at
 * next, in one transaction. Of several servers each takes starts that no other has.
 * @returns how many starts were looked at, and the milliseconds until the next is to be
 */
export async function decideDue(engine: Engine): Promise<{ looked: number; wait: number }> {
  return await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<StateRow & { now: string }>(
      `select s.environment, s.job, s.start, s.kind, s.since, v.text, mattock.clock() as now
       from mattock.start_state s join mattock.job_version v on v.id = s.version_id
       where s.next_at <= (select mattock.clock()) or s.since > (select mattock.clock()) + interval '1 minute' order by s.next_at limit ${batch} for update of s skip locked`,
    )
    // pauses back to where the furthest behind of an environment counts from: each start looks for the reasons of its own times
    const paused = new Map<string, Pause[]>()
    for (const [environment, own] of groupBy(rows, (row) => row.environment)) {
      const since = Math.min(...own.flatMap((row) => [Date.parse(row.since), Date.parse(row.now)]))
      paused.set(environment, await pausesSince(client, environment, new Date(since).toISOString()))
    }
    const decideSome = async (some: typeof rows) => {
      for (const apart of oneOfEachJob(some)) await decideAll(engine, client, apart, paused)
    }
    // together, as nearly always; where one stands in the way, each by itself
    if (rows.length > 0 && !(await together(client, () => decideSome(rows))))
      for (const row of rows)
        await apartFromOthers(engine, client, row, Date.parse(row.now), () => decideSome([row]))
    const next = await client.query<{ wait: number | null }>(
      'select extract(epoch from min(next_at) - mattock.clock())::float8 * 1000 as wait from mattock.start_state',
    )
    return { looked: rows.length, wait: rows.length === batch ? 0 : (next.rows[0]!.wait ?? Infinity) }
  })
}

/** Starts in rounds of which each has one of a job at most: what one took, the next does not take again. */
function oneOfEachJob<T extends StateRow>(rows: readonly T[]): T[][] {
  const rounds: T[][] = []
  for (const own of groupBy(rows, ({ environment, job }) => `${environment} ${job}`).values())
    for (const [at, row] of own.entries()) (rounds[at] ??= []).push(row)
  return rounds
}

/** Does work of which nothing is kept where it throws. */
async function together(client: pg.ClientBase, work: () => Promise<void>): Promise<boolean> {
  await client.query('savepoint together')
  try {
    await work()
    await client.query('release savepoint together')
    return true
  } catch {
    await client.query('rollback to savepoint together')
    return false
  }
}

/** Milliseconds after which a start that nothing can be decided about is looked at again. */
const lookAgain = 600_000

/** Decides about a start so that one that cannot be decided about keeps no other from its time: that is kept as its reason. */
export async function apartFromOthers(engine: Engine, client: pg.ClientBase, row: StateRow, now: number, work: () => Promise<void>): Promise<void> {
  await client.query('savepoint one')
  try {
    await work()
    await client.query('release savepoint one')
  } catch (error) {
    await client.query('rollback to savepoint one')
    engine.log.error({ error, job: row.job, start: row.start }, 'nothing can be decided about a start')
    const hour = new Date(now).toISOString().slice(0, 13)
    await client.query(
      `insert into mattock.occasion (environment, job, start, kind, key, at, state, cause, why, decided_at, not_before)
       values ($1, $2, $3, $4, $5, $6, 'failed', 'a look at it', $7, $6, clock_timestamp()) on conflict (environment, job, start, key) do nothing`,
      [row.environment, row.job, row.start, row.kind, `fault ${hour}`, new Date(now).toISOString(), (error as Error).message],
    )
    await client.query('update mattock.start_state set next_at = case when next_at is null then null else $4::timestamptz end where environment = $1 and job = $2 and start = $3', [
      row.environment, row.job, row.start, new Date(now + lookAgain).toISOString(),
    ])
  }
} // prettier-ignore

/** What is decided about a start: what is kept of its times, up to when they are decided about, and when it is looked at next. */
interface Decision {
  readonly row: StateRow
  readonly start: Start | undefined
  readonly came: readonly Came[]
  readonly since: number
  readonly next: string | null
}

async function decideAll(engine: Engine, client: pg.ClientBase, rows: readonly (StateRow & { readonly now: string })[], paused: ReadonlyMap<string, readonly Pause[]>): Promise<void> {
  const held = await withPaused(client, rows)
  const decisions: Decision[] = []
  for (const row of rows) decisions.push(await decideOne(engine, client, row, Date.parse(row.now), paused.get(row.environment)!, held.has(idOf(row))))
  await keepAll(client, decisions)
  await client.query(
    `update mattock.start_state s set since = d.since, next_at = d.next
     from unnest($1::text[], $2::text[], $3::text[], $4::timestamptz[], $5::timestamptz[]) d(environment, job, start, since, next)
     where s.environment = d.environment and s.job = d.job and s.start = d.start`,
    [
      decisions.map(({ row }) => row.environment), decisions.map(({ row }) => row.job), decisions.map(({ row }) => row.start),
      decisions.map(({ since }) => new Date(since).toISOString()), decisions.map(({ next }) => next),
    ],
  )
} // prettier-ignore

const idOf = ({ environment, job, start }: Pick<StateRow, 'environment' | 'job' | 'start'>): string =>
  JSON.stringify([environment, job, start])

/** The starts of which something came while they were paused. */
async function withPaused(client: pg.ClientBase, rows: readonly StateRow[]): Promise<Set<string>> {
  const found = await client.query<Pick<StateRow, 'environment' | 'job' | 'start'>>(
    `select distinct o.environment, o.job, o.start from mattock.occasion o
     join unnest($1::text[], $2::text[], $3::text[]) d(environment, job, start) using (environment, job, start) where o.state = 'paused'`,
    [rows.map(({ environment }) => environment), rows.map(({ job }) => job), rows.map(({ start }) => start)],
  )
  return new Set(found.rows.map(idOf))
}

async function decideOne(
  engine: Engine,
  client: pg.ClientBase,
  row: StateRow,
  now: number,
  pauses: readonly Pause[],
  held: boolean,
): Promise<Decision> {
  const job = documentOf(row)
  const start = job.starts.find(({ id }) => id === row.start)
  if (!start) return { row, start, came: [], since: now, next: null }
  const here = pauseAt(pauses, row.job, row.start, now)
  // it counts from where it was when the pause ends
  if (here) return { row, start, came: [], since: Date.parse(row.since), next: here.until }
  let since = Date.parse(row.since)
  if (since > now) {
    engine.log.warn({ job: row.job, start: row.start, since: row.since }, 'the clock was set back; starts count from now')
    since = now
  }
  const times = startTimes(start, job, since, now, start.missed === 'each' ? mostTimes : Infinity)
  const reason = (at: number) => {
    const pause = pauseAt(pauses, row.job, row.start, at)
    return pause ? `paused by ${pause.by}: ${pause.why}` : 'nothing was there to begin it'
  }
  const decided = decide({ times, now, missed: start.missed, reason })
  const came = await withSlices(client, row, job, start, summed(decided))
  if (held) await releasePaused(client, row, start, now, reason)
  const full = start.missed === 'each' && times.length === mostTimes
  const next = full ? now : startTimes(start, job, now, now + far, 1)[0]?.at
  return { row, start, came, since: full ? times.at(-1)!.at : now, next: next === undefined ? null : new Date(next).toISOString() }
} // prettier-ignore

/** Times that were left out, in one line where they are many. */
function summed(decided: readonly Decided[]): (Decided & { count?: number })[] {
  const skipped = decided.filter(({ does }) => does === 'skip')
  if (skipped.length <= 20) return [...decided]
  const [first] = skipped
  const last = skipped.at(-1)!
  return [
    { ...last, why: `${skipped.length} times since ${new Date(first!.at).toISOString()}, ${last.why}` },
    ...decided.filter(({ does }) => does === 'start'),
  ]
}

/** What was decided, with the slices that each run takes and what it came by. */
async function withSlices(
  client: pg.ClientBase,
  { environment, job: name }: StateRow,
  job: Job,
  start: Start,
  decided: readonly Decided[],
): Promise<Came[]> {
  const came: Came[] = []
  let taken = job.slices && (await takenTo(client, environment, name))
  for (const { at, does, why, slices } of decided) {
    const key = slices ? `${slices.from}/${slices.to}` : new Date(at).toISOString()
    const cause = startText(start, job)
    if (does === 'skip') came.push({ key, at, state: 'skipped', cause, why, slices })
    else {
      const one = takenBy(job, start, at, taken, slices)
      taken = one.slices?.to ?? taken
      came.push({ key, at, cause, why, ...one })
    }
  }
  return came
}

/** The slices that a start takes at a time; it is left out where there is none. */
export function takenBy(
  { slices: spec }: Job,
  start: Start,
  at: number,
  taken: string | undefined,
  given?: { readonly from: string; readonly to: string },
): Pick<Came, 'state' | 'slices' | 'why'> {
  if (!spec) return { state: 'due' }
  const slices = given
    ? withRestated(spec, slicesBetween(spec, given.from, given.to))
    : slicesToTake(spec, startTakes(start), at, taken)
  return slices.length > 0
    ? { state: 'due', slices: spanOf(slices) }
    : { state: 'skipped', why: 'no slice is over that was not taken before' }
}

/** End of the newest slice that a start of a job took. */
export async function takenTo(client: pg.ClientBase, environment: string, job: string): Promise<string | undefined> {
  const { rows } = await client.query<{ to: string | null }>(
    `select max("to") as to from mattock.occasion where environment = $1 and job = $2 and state <> 'skipped'`,
    [environment, job],
  )
  return rows[0]!.to ?? undefined
} // prettier-ignore

/** Keeps times of a start that came; one that is known stays as it was decided. */
export const keepCame = async (client: pg.ClientBase, row: Pick<StateRow, 'environment' | 'job' | 'start' | 'kind'>, start: Start, came: readonly Came[]): Promise<void> =>
  await keepAll(client, [{ row, start, came }]) // prettier-ignore

async function keepAll(client: pg.ClientBase, decisions: readonly { readonly row: Pick<StateRow, 'environment' | 'job' | 'start' | 'kind'>; readonly start: Start | undefined; readonly came: readonly Came[] }[]): Promise<void> {
  const kept = decisions.flatMap(({ row: { environment, job, start: id, kind }, start, came }) =>
    came.map(({ at, slices, parameters, ...rest }) => ({ ...rest, ...slices, environment, job, start: id, kind, at: new Date(at).toISOString(), parameters: { ...start?.parameters, ...parameters } })),
  )
  if (kept.length === 0) return
  await client.query(
    `insert into mattock.occasion (environment, job, start, kind, key, at, state, cause, why, "from", "to", parameters, picks, seen, decided_at, not_before)
     select o.environment, o.job, o.start, o.kind, o.key, o.at, o.state, o.cause, o.why, o."from", o."to", o.parameters, o.picks, o.seen, mattock.clock(), clock_timestamp()
     from jsonb_to_recordset($1::jsonb) o(environment text, job text, start text, kind text, key text, at timestamptz, state text, cause text, why text, "from" timestamptz, "to" timestamptz, parameters jsonb, picks jsonb, seen jsonb)
     on conflict (environment, job, start, key) do nothing`,
    [JSON.stringify(kept)],
  )
} // prettier-ignore

/** What came while its start was paused is decided about, as times that went by are. */
async function releasePaused(client: pg.ClientBase, { environment, job, start: id }: StateRow, start: Start, now: number, reason: (at: number) => string): Promise<void> {
  const { rows } = await client.query<{ id: number; at: string }>(
    `select id, at from mattock.occasion where environment = $1 and job = $2 and start = $3 and state = 'paused' order by at, id for update`,
    [environment, job, id],
  )
  if (rows.length === 0) return
  const decided = decide({ times: rows.map(({ at }) => ({ at: Date.parse(at) })), now, missed: missedWay(start), reason, inTime: -1 })
  await client.query(
    `update mattock.occasion o set state = d.state, why = d.why, not_before = clock_timestamp(), decided_at = mattock.clock()
     from unnest($1::bigint[], $2::text[], $3::text[]) d(id, state, why) where o.id = d.id`,
    [rows.map((row) => row.id), decided.map(({ does }) => (does === 'start' ? 'due' : 'skipped')), decided.map(({ why }) => why ?? null)],
  )
} // prettier-ignore
