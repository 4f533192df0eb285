import { playRule } from '../../core/alert/play'
import type { Told } from '../../core/alert/judge'
import { tellsText, tellingOf } from '../../core/alert/kinds'
import { alertRuleSchema, type AlertRule, type AlertRuleGiven } from '../../core/alert/rule'
import { messageSubject } from '../../core/alert/words'
import { cronTimes } from '../../core/schedule/cron'
import { addressText, type Address } from '../../core/job/messages'
import { fail } from '../../core/fault'
import type { MessageState } from '../../database/schema'
import type { Engine } from '../context/engine'
import { allRules } from './rules'
import { mostStood, stoodBetween } from './spans'

/** Days that the list of rules looks back over. */
export const lookBack = 30
/** Days over which a rule can be played. */
export const playedDays = 60

/** The rules that look at an environment, with what stands under each and what it sent lately. */
export async function listRules(engine: Engine, environment: string) {
  const rules = (await allRules(engine)).filter(({ rule }) => rule.in.includes(environment))
  const { rows: sent } = await engine.db.$client.query<{ rule: string; ago: number; sent: number; failed: number; latest: string }>(
    `select rule, floor(extract(epoch from mattock.clock() - at) / 86400)::int as ago, count(distinct (at, subject))::int as sent, count(*) filter (where state = 'failed')::int as failed, max(at) as latest
     from mattock.alert_message where environment = $1 and type <> 'mattock.trial' and at > mattock.clock() - make_interval(days => ${lookBack}) group by rule, ago`,
    [environment],
  )
  const { rows: open } = await engine.db.$client.query<{ rule: string; open: number }>(
    'select rule, count(*)::int as open from mattock.alert_open where environment = $1 group by rule',
    [environment],
  )
  return rules.map(({ rule, ...rest }) => {
    const own = sent.filter((one) => one.rule === rule.name)
    return {
      ...rest,
      rule,
      says: tellsText(rule.tells, rule.zone),
      to: rule.to.map(addressText),
      open: open.find((one) => one.rule === rule.name)?.open ?? 0,
      sent: Array.from({ length: lookBack }, (_, i) => own.find(({ ago }) => ago === lookBack - 1 - i)?.sent ?? 0),
      failed: own.reduce((sum, one) => sum + one.failed, 0),
      latest: own.map(({ latest }) => latest).sort((a, b) => Date.parse(a) - Date.parse(b)).at(-1) ?? null,
    }
  })
} // prettier-ignore

interface MessageRow {
  readonly id: number
  readonly rule: string
  readonly title: string
  readonly at: string
  readonly type: string
  readonly address: Address
  readonly subject: string
  readonly text: string
  readonly told: readonly Told[]
  readonly state: MessageState
  readonly tries: number
  readonly nextAt: string
  readonly said: string | null
  readonly endedAt: string | null
}

/** What was sent in an environment, the newest first. */
export async function listMessages(engine: Engine, ask: { environment: string; rule?: string | undefined; state?: MessageState | undefined; offset: number; limit: number }) {
  const { environment, rule, state, offset, limit } = ask
  const given = [environment, rule ?? null, state ?? null]
  const where = 'environment = $1 and rule = coalesce($2, rule) and state = coalesce($3, state)'
  const { rows } = await engine.db.$client.query<MessageRow>(
    `select id, rule, title, at, type, address, subject, text, told, state, tries, next_at as "nextAt", said, ended_at as "endedAt"
     from mattock.alert_message where ${where} order by at desc, id desc offset $4 limit $5`,
    [...given, offset, limit],
  )
  const { rows: total } = await engine.db.$client.query<{ total: number }>(`select count(*)::int as total from mattock.alert_message where ${where}`, given)
  return { total: total[0]!.total, messages: rows.map(({ address, ...rest }) => ({ ...rest, to: addressText(address) })) }
} // prettier-ignore

/** Sends a message that was given up once more. @throws FaultError `unknown-name` where it was not given up */
export async function sendAgain(engine: Engine, id: number): Promise<void> {
  const { rowCount } = await engine.db.$client.query(
    `update mattock.alert_message set state = 'waiting', next_at = clock_timestamp(), at = case when at < mattock.clock() - interval '12 hours' then mattock.clock() else at end, ended_at = null
     where id = $1 and state = 'failed'`,
    [id],
  )
  if (!rowCount) fail('unknown-name', 'there is no such message that was given up')
}

/** The environment of a message. @throws FaultError `unknown-name` */
export async function environmentOfMessage(engine: Engine, id: number): Promise<string> {
  const { rows } = await engine.db.$client.query<{ environment: string }>('select environment from mattock.alert_message where id = $1', [id]) // prettier-ignore
  return rows[0]?.environment ?? fail('unknown-name', `there is no message ${id}`)
}

export interface PlayedRule {
  readonly from: string
  readonly until: string
  /** What stood is known from here on. */
  readonly knownFrom: string
  readonly total: number
  /** The newest first, so many as a page shows. */
  readonly messages: readonly {
    readonly at: string
    readonly subject: string
    readonly told: readonly Told[]
  }[]
  /** Messages a day, the oldest first. */
  readonly days: readonly number[]
}

/** Messages of a play that are shown. */
const mostShown = 500

/** What a rule would have sent in an environment over the last {@link playedDays} days. */
export async function playOver(engine: Engine, environment: string, given: AlertRuleGiven): Promise<PlayedRule> {
  const rule: AlertRule = alertRuleSchema.parse(given)
  const { rows } = await engine.db.$client.query<{ now: string; known: string | null }>(
    'select mattock.clock() as now, (select known_from from mattock.alert_watch where environment = $1) as known',
    [environment],
  )
  const { now, known } = rows[0]!
  const until = Date.parse(now)
  const first = until - playedDays * 86_400_000
  const telling = tellingOf(rule.tells)
  const since = Math.max(first, known === null ? until : Date.parse(known))
  const stood = telling.kind === 'summary' ? [] : await stoodBetween(engine, environment, new Date(since), new Date(until))
  // of more than can be played, the newest
  const from = stood.length < mostStood ? since : Math.max(since, stood[0]!.since)
  const messages =
    telling.kind === 'summary'
      ? cronTimes({ expression: telling.spec.at, zone: rule.zone }, first, until, 100_000).map((at) => ({ at, subject: 'a summary of the Morning sheet', told: [] }))
      : playRule(telling.spec, rule.zone, stood, from, until).map(({ at, told }) => ({ at, subject: messageSubject(environment, told), told }))
  const days = Array.from({ length: playedDays }, () => 0)
  for (const { at } of messages) days[Math.min(playedDays - 1, Math.floor((at - first) / 86_400_000))]!++
  return {
    from: new Date(first).toISOString(),
    until: now,
    knownFrom: new Date(telling.kind === 'summary' ? first : from).toISOString(),
    total: messages.length,
    messages: messages.slice(-mostShown).reverse().map(({ at, ...rest }) => ({ ...rest, at: new Date(at).toISOString() })),
    days,
  }
} // prettier-ignore
