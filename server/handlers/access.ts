import { and, asc, desc, eq, gt, inArray, like, sql } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { may, rights, type Holder, type Right } from '../../core/rights'
import { account, apiToken, environment, session } from '../../database/schema'
import type { Database } from '../../database/open'
import { makeToken } from '../auth'
import { endStreams } from '../events'
import { invite } from '../invitation'
import type { Handlers } from '../handler'

/** The beginning of a hash names a sign-in or a token, and signs nobody in. */
const handleOf = (hash: string): string => hash.slice(0, 16)
const now = (): string => new Date().toISOString()

export const accessHandlers: Pick<
  Handlers,
  | 'signIns'
  | 'endSignIn'
  | 'tokens'
  | 'makeToken'
  | 'takeToken'
  | 'people'
  | 'invitePerson'
  | 'changePerson'
  | 'removePerson'
> = {
  signIns: async ({ engine, account: own }) => {
    const rows = await engine.db
      .select()
      .from(session)
      .where(and(eq(session.accountId, own.id), gt(session.expiresAt, now())))
      .orderBy(desc(session.seenAt))
    return rows.map(({ hash, agent, createdAt, seenAt, expiresAt }) => ({
      handle: handleOf(hash),
      agent,
      createdAt,
      seenAt,
      expiresAt,
      own: hash === own.session,
    }))
  },
  endSignIn: async ({ engine, account: own }, { params }) => {
    const ended = await engine.db
      .delete(session)
      .where(and(eq(session.accountId, own.id), like(session.hash, `${params.handle}%`)))
      .returning({ hash: session.hash })
    if (ended.length === 0) fail('unknown-name', 'there is no such sign-in any more')
    for (const { hash } of ended) endStreams(hash)
    return {}
  },
  tokens: async ({ engine, account: own }) => {
    const rows = await engine.db
      .select()
      .from(apiToken)
      .where(eq(apiToken.accountId, own.id))
      .orderBy(desc(apiToken.createdAt))
    return rows.map(({ hash, accountId: _, ...rest }) => ({ handle: handleOf(hash), ...rest }))
  },
  makeToken: async ({ engine, account: own }, { body }) => {
    if (!may(own, body.atMost)) fail('forbidden', `a token of this account cannot be for "${body.atMost}"`)
    const expiresAt = body.days === null ? null : new Date(Date.now() + body.days * 86_400_000).toISOString()
    return { token: await makeToken(engine, own.id, body.name, { atMost: body.atMost, expiresAt }) }
  },
  takeToken: async ({ engine, account: own }, { params }) => {
    const taken = await engine.db
      .delete(apiToken)
      .where(and(eq(apiToken.accountId, own.id), like(apiToken.hash, `${params.handle}%`)))
      .returning({ hash: apiToken.hash })
    if (taken.length === 0) fail('unknown-name', 'there is no such token any more')
    return {}
  },
  people: async ({ engine, account: own }) => {
    const rows = await engine.db
      .select({
        id: account.id,
        email: account.email,
        name: account.name,
        role: account.role,
        environments: account.environments,
        createdAt: account.createdAt,
        seenAt: sql<
          string | null
        >`greatest((select max(seen_at) from mattock.session s where s.account_id = ${account.id}),
          (select max(used_at) from mattock.api_token t where t.account_id = ${account.id}))`,
        signIns: sql<number>`(select count(*)::int from mattock.session s where s.account_id = ${account.id} and s.expires_at > now())`,
        tokens: sql<number>`(select count(*)::int from mattock.api_token t where t.account_id = ${account.id})`,
      })
      .from(account)
      .orderBy(asc(account.name))
    return rows.map((row) => ({ ...row, own: row.id === own.id }))
  },
  invitePerson: async ({ engine }, { body }) => ({ code: await invite(engine, body.role) }),
  changePerson: async ({ engine }, { params, body }) => {
    const known = (await engine.db.select({ name: environment.name }).from(environment)).map(
      ({ name }) => name,
    )
    const unknown = Object.keys(body.environments).find((name) => !known.includes(name))
    if (unknown !== undefined) fail('unknown-name', `there is no environment "${unknown}"`)
    await engine.db.transaction(async (tx) => {
      const changed = await tx
        .update(account)
        .set(body)
        .where(eq(account.id, params.id))
        .returning({ id: account.id })
      if (changed.length === 0) fail('unknown-name', `there is no account ${params.id}`)
      await keeperStays(tx)
      // a token lasts no longer than the right it was made with: it does not come back with that
      const lost = rights.filter((right) => !maySomehow(body, right))
      if (lost.length > 0)
        await tx
          .delete(apiToken)
          .where(and(eq(apiToken.accountId, params.id), inArray(apiToken.atMost, lost)))
    })
    return {}
  },
  removePerson: async ({ engine }, { params }) => {
    const sessions = await engine.db
      .select({ hash: session.hash })
      .from(session)
      .where(eq(session.accountId, params.id))
    await engine.db.transaction(async (tx) => {
      const removed = await tx.delete(account).where(eq(account.id, params.id)).returning({ id: account.id })
      if (removed.length === 0) fail('unknown-name', `there is no account ${params.id}`)
      await keeperStays(tx)
    })
    for (const { hash } of sessions) endStreams(hash)
    return {}
  },
}

/** May they do it anywhere? */
const maySomehow = (holder: Holder, right: Right): boolean =>
  may(holder, right) || Object.keys(holder.environments ?? {}).some((name) => may(holder, right, name))

/** Without a keeper who can sign in nobody could ever make one. @throws FaultError `conflict` */
async function keeperStays(tx: Pick<Database, 'execute'>): Promise<void> {
  // two who take each other's rights at once: the second waits, and sees the first
  await tx.execute(sql`lock table mattock.account in share row exclusive mode`)
  const { rows } = await tx.execute(
    sql`select 1 from mattock.account where role = 'keeper' and password <> 'none' limit 1`,
  )
  if (rows.length === 0) fail('conflict', 'one account that runs the house must stay')
}
