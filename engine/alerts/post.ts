import { FaultError } from '../../core/fault'
import { addressText } from '../../core/job/messages'
import type { Told } from '../../core/alert/judge'
import type { AlertRule } from '../../core/alert/rule'
import type { Address } from '../../core/job/messages'
import type pg from 'pg'
import type { Engine } from '../context/engine'
import { PassingError } from '../context/passing'
import { StepFault } from '../context/step'
import { tell } from '../messages'

/** What is to be sent to everybody whom a rule tells. */
export interface Outgoing {
  readonly environment: string
  readonly type: 'mattock.alert' | 'mattock.summary' | 'mattock.trial'
  readonly subject: string
  readonly text: string
  readonly told: readonly Told[]
}

/** Puts a message into the box of what goes out, once for each address of a rule. */
export async function putOut(client: Pick<pg.ClientBase, 'query'>, rule: AlertRule, out: Outgoing): Promise<void> {
  await client.query(
    `insert into mattock.alert_message (key, rule, title, environment, at, type, address, subject, text, told, state, next_at)
     select gen_random_uuid()::text, $1, $2, $3, mattock.clock(), $4, a, $6, $7, $8, 'waiting', clock_timestamp() from jsonb_array_elements($5::jsonb) a`,
    [rule.name, rule.title, out.environment, out.type, JSON.stringify(rule.to), out.subject, out.text, JSON.stringify(out.told)],
  )
} // prettier-ignore

interface Waiting {
  readonly id: number
  readonly key: string
  readonly rule: string
  readonly title: string
  readonly environment: string
  readonly at: string
  readonly type: Outgoing['type']
  readonly address: Address
  readonly subject: string
  readonly text: string
  readonly told: readonly Told[]
  readonly tries: number
  readonly old: boolean
}

/** Minutes until a message that nobody took is sent again, by how often it was; then every hour. */
const pauses = [1, 2, 5, 15, 30]
/** Hours after which it is given up. */
const giveUp = 24
/** Minutes after which another process sends what one took out and did not get done. */
const takenFor = 3

/**
 * Sends what waits to be sent; each of some processes takes others. Who ends hard in the middle may have sent a message that
 * is sent once more: it carries the same id.
 * @returns how many it took
 */
export async function sendSome(engine: Engine, signal: AbortSignal): Promise<number> {
  const { rows } = await engine.db.$client.query<Waiting>(
    `update mattock.alert_message m set tries = tries + 1, next_at = clock_timestamp() + make_interval(mins => ${takenFor})
     where id in (select id from mattock.alert_message where state = 'waiting' and next_at <= clock_timestamp() order by next_at limit 20 for update skip locked)
     returning id, key, rule, title, environment, at, type, address, subject, text, told, tries, at < mattock.clock() - make_interval(hours => ${giveUp}) as old`,
  )
  await Promise.all(rows.map((one) => sendOne(engine, one, signal)))
  return rows.length
} // prettier-ignore

async function sendOne(engine: Engine, message: Waiting, signal: AbortSignal): Promise<void> {
  const { id, key, environment, rule, title, at, type, address, subject, text, told, tries, old } = message
  const keep = (state: 'waiting' | 'taken' | 'failed', said: string, minutes = 0) =>
    engine.db.$client.query(
      `update mattock.alert_message set state = $2, said = $3, next_at = clock_timestamp() + make_interval(mins => $4), ended_at = case when $2 <> 'waiting' then mattock.clock() end
       where id = $1 and state = 'waiting' and tries = $5`,
      [id, state, said.slice(0, 2000), minutes, tries],
    )
  try {
    const said = await tell(
      {
        engine,
        environment,
        signal,
        id: key,
        subject,
        text,
        type,
        source: `/environments/${encodeURIComponent(environment)}/alerts/${encodeURIComponent(rule)}`,
        at: new Date(at).toISOString(),
        data: { rule, title, environment, told: told.map(({ what, news: { cause, kind, job, title: about, text: says, count, since } }) => ({ what, kind, cause, job, title: about, text: says, count, since: new Date(since).toISOString() })) },
      },
      address,
    )
    await keep('taken', said)
  } catch (error) {
    if (signal.aborted) return
    const { message: why } = error as Error
    if (error instanceof PassingError && !old) await keep('waiting', `${why}; it is tried again`, pauses[tries - 1] ?? 60)
    else await keep('failed', error instanceof StepFault || error instanceof FaultError || error instanceof PassingError ? why : `it could not be sent: ${why}`)
    engine.log.warn({ error, message: id, to: addressText(address) }, 'an alert was not taken')
  }
} // prettier-ignore
