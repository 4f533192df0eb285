import { fail } from '../../core/fault'
import type { Engine } from '../context/engine'
import { transaction } from '../context/transaction'

/** What people did about something that needs a decision. */
export interface Matter {
  readonly quietUntil: string | null
  readonly givenTo: string | null
  /** The newest last. */
  readonly notes: readonly { readonly by: string; readonly text: string; readonly at: string }[]
}

/** Notes that are told of a matter at most, the newest. */
const most = 30

/** What was done about each of some matters, by their keys. */
export async function readMatters(engine: Engine, environment: string, keys: readonly string[]): Promise<Map<string, Matter>> {
  const { rows } = await engine.db.$client.query<Matter & { key: string }>(
    `select m.key, m.quiet_until as "quietUntil", m.given_to as "givenTo",
       coalesce((select jsonb_agg(jsonb_build_object('by', n.by, 'text', n.text, 'at', n.at) order by n.id) from (
         select * from mattock.matter_note n where n.environment = m.environment and n.key = m.key order by n.id desc limit ${most}) n), '[]') as notes
     from mattock.matter m where m.environment = $1 and m.key = any ($2)`,
    [environment, keys],
  )
  return new Map(rows.map(({ key, ...matter }) => [key, matter]))
} // prettier-ignore

/** What somebody does about a matter: a change that is left out leaves what was. */
export interface MatterAsk {
  readonly environment: string
  readonly key: string
  readonly title: string
  /** ISO 8601 instant; null: no longer. */
  readonly quietUntil?: string | null | undefined
  /** Null: to nobody. */
  readonly givenTo?: string | null | undefined
  readonly note?: string | undefined
  readonly by: string
}

/** Keeps what somebody did about a matter, with a line in its thread. @throws FaultError `request` where nothing is done */
export async function keepMatter(engine: Engine, ask: MatterAsk): Promise<void> {
  const { environment, key, title, quietUntil, givenTo, by } = ask
  const note = ask.note?.trim() ?? ''
  if (note === '' && quietUntil === undefined && givenTo === undefined) fail('request', 'say something, give it to somebody, or let it be quiet for a while', { path: 'note' })
  if (quietUntil && !(Date.parse(quietUntil) > Date.now())) fail('request', 'it cannot be quiet until a time that has gone by', { path: 'quietUntil' })
  await transaction(engine.db.$client, async (client) => {
    const { rows } = await client.query<{ quietUntil: string | null; givenTo: string | null }>(
      `insert into mattock.matter as m (environment, key, title, at) values ($1, $2, $3, clock_timestamp())
       on conflict (environment, key) do update set title = excluded.title, at = excluded.at returning m.quiet_until as "quietUntil", m.given_to as "givenTo"`,
      [environment, key, title],
    )
    const before = rows[0]!
    await client.query(
      `update mattock.matter set quiet_until = case when $3 then $4::timestamptz else quiet_until end, given_to = case when $5 then $6 else given_to end where environment = $1 and key = $2`,
      [environment, key, quietUntil !== undefined, quietUntil ?? null, givenTo !== undefined, givenTo ?? null],
    )
    const lines = [
      ...(givenTo !== undefined && givenTo !== before.givenTo ? [givenTo === null ? 'gave it back' : givenTo === by ? 'sees to it' : `gave it to ${givenTo}`] : []),
      ...(quietUntil !== undefined ? [quietUntil === null ? 'lets it be seen again' : `quiet until ${quietUntil.slice(0, 16).replace('T', ' ')} UTC`] : []),
      ...(note === '' ? [] : [note]),
    ]
    for (const text of lines)
      await client.query('insert into mattock.matter_note (environment, key, by, text, at) values ($1, $2, $3, $4, clock_timestamp())', [environment, key, by, text])
  })
} // prettier-ignore

/** Names of the people to whom something may be given. */
export async function namesOfPeople(engine: Engine): Promise<string[]> {
  const { rows } = await engine.db.$client.query<{ name: string }>(`select distinct name from mattock.account where role <> 'reader' or environments <> '{}' order by name`)
  return rows.map(({ name }) => name)
} // prettier-ignore

/** Mail addresses of everybody who has an account. */
export async function addressesOfPeople(engine: Engine): Promise<string[]> {
  const { rows } = await engine.db.$client.query<{ email: string }>('select email from mattock.account order by email')
  return rows.map(({ email }) => email)
} // prettier-ignore
