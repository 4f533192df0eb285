import { judge, type OpenAlert } from '../../core/alert/judge'
import { tellingOf } from '../../core/alert/kinds'
import { quietUntil } from '../../core/alert/quiet'
import type { AlertRule } from '../../core/alert/rule'
import { messageSubject, messageText } from '../../core/alert/words'
import type pg from 'pg'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'
import { clockNow } from '../context/clock'
import { every } from '../queue/every'
import { gatherDecisions, type WatchAsks } from '../watching/gather'
import { fillSpans } from './fill'
import { footOf, type AlertOptions } from './foot'
import { putOut, sendSome } from './post'
import { allRules } from './rules'
import { keepSpans, standing } from './spans'
import { sendSummaries } from './summaries'

/**
 * Looks at what needs a decision, tells whom it is to be told, and sends what is to be sent. It may run in any number of
 * processes: one of them looks at an environment at a time, and each message is sent by one.
 * @returns ends it
 */
export function watchAlerts(engine: Engine, { asks, address, look = 60_000, post = 2000 }: AlertOptions): () => void {
  const gone = new AbortController()
  const endLooking = every(engine, 'looking at what needs a decision', Math.min(look, 5000), async () => {
    for (const environment of await environmentsToLookAt(engine, look))
      if (!gone.signal.aborted) await lookAt(engine, environment, { asks, address, look })
  })
  // a summary waits for the look ahead, and alerts do not
  const endSummaries = every(engine, 'sending summaries', Math.min(look, 5000), () => sendSummaries(engine, { asks, address }))
  const endSending = every(engine, 'sending alerts', post, async () => {
    while (!gone.signal.aborted && (await sendSome(engine, gone.signal)) > 0);
  })
  return () => {
    gone.abort()
    endLooking()
    endSummaries()
    endSending()
  }
} // prettier-ignore

/** Days in which something ran, of an environment whose matters are kept though no rule asks for them. */
const alive = 14

/** Environments in which something goes on, or which a rule looks at, and at which nobody has looked just now. */
async function environmentsToLookAt(engine: Engine, look: number): Promise<string[]> {
  const { rows } = await engine.db.$client.query<{ name: string }>(
    `select e.name from mattock.environment e left join mattock.alert_watch w on w.environment = e.name
     where (w.looked_at is null or w.looked_at <= clock_timestamp() - make_interval(secs => $1))
       and (exists (select 1 from mattock.alert_rule r where r.active and r.rule -> 'in' ? e.name)
         or exists (select 1 from mattock.run r where r.environment = e.name and r.created_at > clock_timestamp() - make_interval(days => ${alive})))
     order by w.looked_at nulls first`,
    [look / 1000],
  )
  return rows.map(({ name }) => name)
}

/** Looks at an environment, unless somebody else does; what is to be told is put out in the same moment in which it is kept that it was told. */
export async function lookAt(
  engine: Engine,
  environment: string,
  { asks, address, look = 0, within = 10_000 }: Pick<AlertOptions, 'asks' | 'address' | 'look' | 'within'>,
): Promise<boolean> {
  const { rows } = await engine.db.$client.query<{ mine: string; known: boolean }>(
    `insert into mattock.alert_watch as w (environment, looked_at) values ($1, clock_timestamp())
     on conflict (environment) do update set looked_at = excluded.looked_at where w.looked_at <= clock_timestamp() - make_interval(secs => $2)
     returning looked_at::text as mine, known_from is not null as known`,
    [environment, look / 1000],
  )
  const [claim] = rows
  if (!claim) return false
  if (!claim.known) await fillOnce(engine, environment, asks)
  const { decisions, unknown } = await gatherDecisions(
    engine,
    environment,
    new Date(await clockNow(engine)),
    asks,
    {
      within,
      left: (what, error) =>
        engine.log.warn(
          { error, environment },
          `${what} could not be worked out in time; what it tells stays as it is`,
        ),
    },
  )
  const rules = (await allRules(engine)).filter(({ active, rule }) => active && rule.in.includes(environment))
  return await transaction(engine.db.$client, async (client) => {
    // who took longer than others wait writes over nothing of theirs
    const { rowCount } = await client.query(
      'select 1 from mattock.alert_watch where environment = $1 and looked_at = $2::timestamptz for update',
      [environment, claim.mine],
    )
    if (!rowCount) return false
    await keepSpans(client, environment, decisions, unknown)
    const stands = await standing(client, environment)
    for (const { rule } of rules) await judgeBy(client, rule, environment, stands, address)
    return true
  })
}

/** Works out what stood before anybody looked; where that cannot be, it is known from now on: nobody waits for the past. */
async function fillOnce(engine: Engine, environment: string, { readArrivals }: WatchAsks): Promise<void> {
  try {
    await fillSpans(engine, environment, readArrivals)
  } catch (error) {
    engine.log.warn({ error, environment }, 'what needed a decision before could not be worked out; it is known from now on')
    await engine.db.$client.query('update mattock.alert_watch set known_from = mattock.clock() where environment = $1', [environment])
  }
} // prettier-ignore

interface OpenRow {
  readonly news: OpenAlert['news']
  readonly seenAt: string
  readonly toldAt: string | null
}

async function judgeBy(
  client: pg.PoolClient,
  rule: AlertRule,
  environment: string,
  stands: Awaited<ReturnType<typeof standing>>,
  address: string | undefined,
): Promise<void> {
  const telling = tellingOf(rule.tells)
  if (telling.kind !== 'matters') return
  // a rule that was taken away meanwhile tells nothing
  const { rowCount } = await client.query('select 1 from mattock.alert_rule where name = $1 and active for share', [rule.name])
  if (!rowCount) return
  const { rows } = await client.query<OpenRow>(
    `select news, seen_at as "seenAt", told_at as "toldAt" from mattock.alert_open where rule = $1 and environment = $2`,
    [rule.name, environment],
  )
  const open = rows.map(({ news, seenAt, toldAt }) => ({ news, seenAt: Date.parse(seenAt), toldAt: toldAt === null ? null : Date.parse(toldAt) }))
  const { rows: clock } = await client.query<{ now: string }>('select mattock.clock() as now')
  const now = Date.parse(clock[0]!.now)
  const { quiet: hours } = telling.spec
  const quiet = hours !== undefined && quietUntil(hours, rule.zone, now) !== undefined
  const judged = judge(telling.spec, quiet, stands, open, now)
  await client.query('delete from mattock.alert_open where rule = $1 and environment = $2', [rule.name, environment])
  await client.query(
    `insert into mattock.alert_open (rule, environment, cause, news, seen_at, told_at)
     select $1, $2, o.news ->> 'cause', o.news, to_timestamp(o."seenAt" / 1000.0), to_timestamp(o."toldAt" / 1000.0) from jsonb_to_recordset($3::jsonb) o(news jsonb, "seenAt" float8, "toldAt" float8)`,
    [rule.name, environment, JSON.stringify(judged.open)],
  )
  if (judged.tell.length === 0) return
  await putOut(client, rule, {
    environment,
    type: 'mattock.alert',
    subject: messageSubject(environment, judged.tell),
    text: messageText({ told: judged.tell }, rule.zone, footOf(rule, environment, address)),
    told: judged.tell,
  })
} // prettier-ignore
