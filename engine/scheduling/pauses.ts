import type pg from 'pg'
import { fail } from '../../core/fault'
import {
  farthest,
  pauseSpanAt,
  pauseSpans,
  type Again,
  type PauseTimes,
  type Span,
} from '../../core/schedule/pause'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'

/** A span in which nothing begins by itself, once or again and again: in all of an environment, of a job, or of one start. */
export interface Pause {
  readonly id: number
  readonly environment: string
  readonly job: string | null
  readonly start: string | null
  readonly from: string
  /** Null: until somebody ends it. */
  readonly until: string | null
  readonly why: string
  readonly by: string
  readonly endedBy: string | null
  /** How it comes again and again between the two; null where it is that one span. */
  readonly again: Again | null
  /** What of it began before this was ended then, that once. */
  readonly passed: string | null
}

/** What is paused: a start, a job, an environment. */
export interface Paused {
  readonly environment: string
  readonly job?: string | undefined
  readonly start?: string | undefined
}

const columns = `id, environment, job, start, "from", until, why, by, ended_by as "endedBy", again, passed`

/** Pauses of an environment that end after a time. */
export async function pausesSince(
  client: Pick<pg.ClientBase, 'query'>,
  environment: string,
  since: string,
): Promise<Pause[]> {
  const { rows } = await client.query<Pause>(
    `select ${columns} from mattock.pause where environment = $1 and (until is null or until > $2) order by "from", id`,
    [environment, since],
  )
  return rows
}

/** Is a start within what a pause is of? */
const isOf = (pause: Pause, job: string, start: string): boolean =>
  (pause.job ?? job) === job && (pause.start ?? start) === start

const timesOf = ({ from, until, again, passed }: Pause): PauseTimes => ({
  from: Date.parse(from),
  until: until === null ? Infinity : Date.parse(until),
  again,
  passed: passed === null ? null : Date.parse(passed),
})

/** What was found of a pause that comes again, by the minute: many starts are asked about at the same times. */
const found = new WeakMap<Pause, Map<number, Span | undefined>>()

function spanAt(pause: Pause, at: number): Span | undefined {
  if (!pause.again) return pauseSpanAt(timesOf(pause), at)
  let known = found.get(pause)
  if (!known) found.set(pause, (known = new Map<number, Span | undefined>()))
  if (!known.has(at)) known.set(at, pauseSpanAt(timesOf(pause), at))
  return known.get(at)
}

/** The pause that a start is in at a time, with the span that it is in; of several, the one that ends last. */
export function pauseAt(pauses: readonly Pause[], job: string, start: string, at: number): Pause | undefined {
  let last: { readonly pause: Pause; readonly span: Span } | undefined
  for (const pause of pauses) {
    if (!isOf(pause, job, start)) continue
    const span = spanAt(pause, at)
    if (span && (!last || span.until > last.span.until)) last = { pause, span }
  }
  return last && { ...last.pause, from: instant(last.span.from), until: last.span.until === Infinity ? null : instant(last.span.until) }
} // prettier-ignore

const instant = (time: number): string => new Date(time).toISOString()

/** When a pause is: its spans of a stretch of time, at most so many, and at least those that go on or come next at a time. */
export function shownSpans(
  pause: Pause,
  at: number,
  stretch: Span,
): { from: string; until: string | null }[] {
  const times = timesOf(pause)
  const spans = [
    ...pauseSpans(times, stretch.from, stretch.until, mostShown),
    ...pauseSpans(times, at, at + farthest, 2),
  ]
  return [...new Map(spans.map((span) => [span.from, span])).values()]
    .sort((one, other) => one.from - other.from)
    .map(({ from, until }) => ({
      from: instant(from),
      until: until === Infinity ? null : instant(until),
    }))
}

const mostShown = 400

export interface PauseAsk extends Paused {
  /** ISO 8601 instant; now where it is left out. */
  readonly from?: string | undefined
  readonly until?: string | undefined
  /** How it comes again and again in between. */
  readonly again?: Again | undefined
  readonly why: string
  readonly by: string
}

/**
 * Pauses starts, from now or a time on, until a time or until somebody ends it; all of that, or what a rule says of it.
 * @throws FaultError `unknown-name` where there is no such start, `request` where it would end before it begins
 */
export async function pauseStarts(engine: Engine, ask: PauseAsk): Promise<number> {
  const { environment, job, start, from, until, again, why, by } = ask
  if (job !== undefined) {
    const { rowCount } = await engine.db.$client.query(
      `select 1 from mattock.start_state where environment = $1 and job = $2 and start = coalesce($3, start) limit 1`,
      [environment, job, start ?? null],
    )
    if (!rowCount) fail('unknown-name', start === undefined ? `${job} has no starts in ${environment}` : `${job} has no start "${start}" in ${environment}`, { job }) // prettier-ignore
  }
  return await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ id: number }>(
      `insert into mattock.pause (environment, job, start, "from", until, why, by, at, again)
       select $1, $2, $3, f."from", $5, $6, $7, mattock.clock(), $8 from (select coalesce($4, mattock.clock()) as "from") f
       where $5::timestamptz is null or $5 > f."from" returning id`,
      [
        environment,
        job ?? null,
        start ?? null,
        from ?? null,
        until ?? null,
        why,
        by,
        again ? JSON.stringify(again) : null,
      ],
    )
    await client.query(`select pg_notify('mattock', '{"starts":true}')`)
    return rows[0]?.id ?? fail('request', 'it would end before it begins', { path: 'until' })
  })
}

/**
 * Ends a pause, or takes back one that has not begun; what it kept from beginning is decided about now. One that comes
 * again and again may be ended this once (`once`), and comes again.
 * @throws FaultError `unknown-name` where no such pause goes on, `request` where it is not in one of its spans
 */
export async function endPause(engine: Engine, id: number, by: string, once = false): Promise<void> {
  await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<Pause & { now: string }>(
      `select ${columns}, mattock.clock() as now from mattock.pause where id = $1 and (until is null or until > mattock.clock()) for update`,
      [id],
    )
    const [pause] = rows
    if (!pause) fail('unknown-name', `there is no pause ${id} that goes on`)
    if (once && !(pause.again && spanAt(pause, Date.parse(pause.now))))
      fail('request', 'it does not go on now; what can be ended is all of it')
    await client.query(
      once
        ? 'update mattock.pause set passed = mattock.clock() where id = $1'
        : 'update mattock.pause set until = greatest(mattock.clock(), "from"), ended_by = $2 where id = $1',
      once ? [id] : [id, by],
    )
    await client.query('update mattock.start_state set next_at = mattock.clock() where environment = $1', [pause.environment]) // prettier-ignore
    await client.query(`select pg_notify('mattock', '{"starts":true}')`)
  })
}
