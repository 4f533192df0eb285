import type { DecisionKind } from '../../core/decisionKinds'
import { settling, type Standing } from '../../core/alert/judge'
import type { StoodSpan } from '../../core/alert/play'
import type pg from 'pg'
import type { Decision } from '../watching/decision'
import type { Engine } from '../context/engine'

type Client = Pick<pg.ClientBase, 'query'>

/**
 * Writes down what stands now: what is new begins, what is no longer there ends. What was gone for moments only goes on,
 * and so does what is of a kind of which nothing is known now.
 */
export async function keepSpans(client: Client, environment: string, decisions: readonly Decision[], unknown: readonly DecisionKind[] = []): Promise<void> {
  const seen = JSON.stringify(
    decisions.map(({ key, kind, cause = key, job, title, text }) => ({ key, kind, cause, job, title, text })),
  )
  await client.query(
    `with seen as (select distinct on (key) * from jsonb_to_recordset($2::jsonb) s(key text, kind text, cause text, job text, title text, text text))
     update mattock.matter_span m set until = mattock.clock() where m.environment = $1 and m.until is null and not m.kind = any ($3) and not exists (select 1 from seen s where s.key = m.key)`,
    [environment, seen, unknown],
  )
  await client.query(
    `with seen as (select distinct on (key) * from jsonb_to_recordset($2::jsonb) s(key text, kind text, cause text, job text, title text, text text)),
     before as (
       select s.*, (select m.id from mattock.matter_span m where m.environment = $1 and m.key = s.key and (m.until is null or m.until > mattock.clock() - make_interval(secs => $3))
         order by m.since desc limit 1) as id from seen s),
     goes_on as (update mattock.matter_span m set until = null, kind = b.kind, cause = b.cause, job = b.job, title = b.title, text = b.text from before b where m.id = b.id)
     insert into mattock.matter_span (environment, key, kind, cause, job, title, text, since)
     select $1, key, kind, cause, job, title, text, mattock.clock() from before where id is null`,
    [environment, seen, settling / 1000],
  )
} // prettier-ignore

interface SpanRow extends Omit<StoodSpan, 'since' | 'until' | 'quietUntil'> {
  readonly key: string
  readonly since: string
  readonly until: string | null
  readonly quietUntil: string | null
}

/** What stands now, with what people want to be quiet. */
export async function standing(client: Client, environment: string): Promise<Standing[]> {
  const { rows } = await client.query<SpanRow>(
    `select s.kind, s.cause, s.job, s.title, s.text, s.since, m.quiet_until as "quietUntil"
     from mattock.matter_span s left join mattock.matter m on m.environment = s.environment and m.key = s.key
     where s.environment = $1 and s.until is null order by s.since, s.id`,
    [environment],
  )
  return rows.map(({ since, quietUntil, ...rest }) => ({
    ...rest,
    since: Date.parse(since),
    quietUntil: quietUntil === null ? undefined : Date.parse(quietUntil),
  }))
}

/** Things that a rule is played over at most, the newest. */
export const mostStood = 20_000

/** What stood at some time of a span that has gone by, in order; the newest {@link mostStood}. */
export async function stoodBetween(
  engine: Engine,
  environment: string,
  from: Date,
  until: Date,
): Promise<StoodSpan[]> {
  const { rows } = await engine.db.$client.query<SpanRow>(
    `select kind, cause, job, title, text, since, until from mattock.matter_span
     where environment = $1 and since < $3 and (until is null or until > $2) order by since desc, id desc limit ${mostStood}`,
    [environment, from.toISOString(), until.toISOString()],
  )
  return rows.reverse().map(({ since, until: ended, quietUntil: _quiet, ...rest }) => ({
    ...rest,
    since: Date.parse(since),
    until: ended === null ? null : Date.parse(ended),
  }))
}
