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
import { stuckLoads } from './stuck'
import { unbalanced } from './unbalanced'

const hour = 3_600_000
/** How far (milliseconds) is looked ahead. */
export const ahead = 24 * hour
/** What ran in these milliseconds is of this morning. */
export const recent = 18 * hour
/** Failed loads of runs that began so long ago (milliseconds) are nobody's morning any more. */
export const failedFor = 72 * hour

/** What takes long to work out, and is worked out elsewhere. */
export interface WatchAsks {
  readonly lookAhead: (ask: OutlookAsk) => Promise<Outlook>
  readonly readArrivals: (ask: ArrivalsAsk) => Promise<Arrivals>
}

/** Everything in an environment that needs a decision now, with what will begin by itself. */
export async function gatherDecisions(
  engine: Engine,
  environment: string,
  at: Date,
  { lookAhead, readArrivals }: WatchAsks,
): Promise<{ decisions: Decision[]; outlook: Outlook }> {
  const until = new Date(at.getTime() + ahead).toISOString()
  const span = { environment, from: at.toISOString(), until }
  const outlook = await lookAhead(span)
  const other = outlook.foreseen.some(isLate)
    ? await lookAhead({ ...span, workers: Math.max(1, outlook.workers) * 2 })
    : undefined
  const since = new Date(at.getTime() - recent).toISOString()
  const notBegun = await startsNotBegun(engine, environment)
  const decisions: Decision[] = [
    ...(await openFailures(engine, environment, new Date(at.getTime() - failedFor).toISOString())),
    ...(await unbalanced(engine, environment, since)),
    ...filesOverdue(await readArrivals({ environment, from: since, until, newestOnly: true })),
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
    ...lateOnes(outlook, other, at),
    ...(await notRun(engine, environment, at)),
    ...(await silence(engine, environment, since)),
    ...(await drift(engine, environment)),
  ]
  return { decisions, outlook }
}
