import type { DecisionKind } from '../../core/decisionKinds'
import { setTimeout } from 'node:timers/promises'
import { isLate } from '../../core/schedule/due'
import type { Arrivals, ArrivalsAsk } from '../arrivals/read'
import type { Engine } from '../context/engine'
import type { Outlook, OutlookAsk } from '../scheduling/outlook'
import { startsNotBegun } from '../scheduling/trouble'
import type { Decision } from './decision'
import { drift } from './drift'
import { openFailures } from './failures'
import { filesOverdue } from './files'
import { lateOnes } from './late'
import { notRun, unreadable } from './notRun'
import { silence } from './silence'
import { standsSince } from './stands'
import { stuckLoads } from './stuck'
import { unbalanced } from './unbalanced'

const hour = 3_600_000
/** How far (milliseconds) is looked ahead. */
export const ahead = 24 * hour
/** What ran in these milliseconds is of this morning. */
export const recent = 18 * hour
/** Failed loads of runs that began so long ago (milliseconds) are nobody's morning any more, unless they were seen before. */
export const failedFor = 72 * hour

/** What takes long to work out, and is worked out elsewhere. */
export interface WatchAsks {
  readonly lookAhead: (ask: OutlookAsk) => Promise<Outlook>
  readonly readArrivals: (ask: ArrivalsAsk) => Promise<Arrivals>
}

/** What needs a decision, as far as it is known. */
export interface Gathered {
  readonly decisions: Decision[]
  /** What will begin by itself; undefined where that was not asked for, or not worked out in time. */
  readonly outlook: Outlook | undefined
  /** Kinds of which nothing is known this time. */
  readonly unknown: readonly DecisionKind[]
}

/** Kinds of decisions that come of the look ahead, and of the files that are to come. */
const ofOutlook = ['late', 'overdue'] as const
const ofArrivals = ['file'] as const

/** How what takes long is waited for. */
export interface Patience {
  /** Milliseconds that it is waited for; then it is left out, and what it was to tell is `unknown`. */
  readonly within: number
  /** It was left out, or it failed. */
  readonly left: (what: string, error: unknown) => void
}

/**
 * Everything in an environment that needs a decision now, with what will begin by itself. What the store knows waits for
 * nothing but itself; with no `asks`, it is all that is told.
 */
export async function gatherDecisions(
  engine: Engine,
  environment: string,
  at: Date,
  asks: WatchAsks | undefined,
  patience?: Patience,
): Promise<Gathered> {
  const until = new Date(at.getTime() + ahead).toISOString()
  const since = new Date(at.getTime() - recent).toISOString()
  const slow = asks && {
    looked: inTime(
      patience,
      'the look ahead',
      lookedAhead(asks, { environment, from: at.toISOString(), until }),
    ),
    arrived: inTime(
      patience,
      'the files that are to come',
      asks.readArrivals({ environment, from: since, until, newestOnly: true }),
    ),
  }
  // whoever fails first is told; the other is not left without anybody
  slow?.looked.catch(() => undefined)
  slow?.arrived.catch(() => undefined)
  const known = await storedDecisions(engine, environment, at, since)
  const [looked, arrived] = [await slow?.looked, await slow?.arrived]
  return {
    decisions: [
      ...known.failed,
      ...(arrived ? filesOverdue(arrived) : []),
      ...known.begun,
      ...(looked ? lateOnes(looked.outlook, looked.other, at) : []),
      ...known.quiet,
    ],
    outlook: looked?.outlook,
    unknown: [...(looked ? [] : ofOutlook), ...(arrived ? [] : ofArrivals)],
  }
}

/** What will begin, and where something of it is late, the same with twice the workers. */
async function lookedAhead(
  { lookAhead }: WatchAsks,
  span: OutlookAsk,
): Promise<{ outlook: Outlook; other: Outlook | undefined }> {
  const outlook = await lookAhead(span)
  const other = outlook.foreseen.some(isLate)
    ? await lookAhead({ ...span, workers: Math.max(1, outlook.workers) * 2 })
    : undefined
  return { outlook, other }
}

/** Something that takes long; undefined where it does not come in time, or not at all. Without patience it is waited for. */
async function inTime<T>(
  patience: Patience | undefined,
  what: string,
  work: Promise<T>,
): Promise<T | undefined> {
  if (!patience) return await work
  const over = new AbortController()
  try {
    return await Promise.race([
      work,
      setTimeout(patience.within, undefined, { signal: over.signal }).then((): never => {
        throw new Error(`not within ${patience.within / 1000} s`)
      }),
    ])
  } catch (error) {
    patience.left(what, error)
    return undefined
  } finally {
    over.abort()
  }
}

/** What the store knows by itself, in the order in which it is told. */
async function storedDecisions(
  engine: Engine,
  environment: string,
  at: Date,
  since: string,
): Promise<Record<'failed' | 'begun' | 'quiet', Decision[]>> {
  const notBegun = await startsNotBegun(engine, environment)
  // what stands since longer stands until it is mended or set aside: time alone mends nothing
  const stands = await standsSince(engine, environment, ['failed', 'check'])
  const failing = Math.min(at.getTime(), ...stands.values())
  return {
    failed: [
      ...(await openFailures(engine, environment, new Date(failing - failedFor).toISOString())),
      ...(await unbalanced(engine, environment, since)),
    ],
    begun: [
      ...(await stuckLoads(engine, environment)),
      ...notBegun.map(({ job, title, at: due, why, plan, count }) => ({
        kind: 'not-begun' as const,
        key: `not-begun ${job}`,
        title: `${title} could not begin${count > 1 ? `, ${count} times` : ''}`,
        text: why,
        count,
        run: null,
        plan,
        job,
        connection: null,
        latest: due,
      })),
      ...(await unreadable(engine, environment)),
    ],
    quiet: [
      ...(await notRun(engine, environment, at)),
      ...(await silence(engine, environment, since)),
      ...(await drift(engine, environment)),
    ],
  }
}
