import { asc, desc, eq, sql } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { account as accounts, environment, run } from '../../database/schema'
import type { Asked, Handlers } from '../handler'
import { checkPassword, closeSession, openSession, type Account } from '../auth'
import { takeInvitation } from '../invitation'
import { mutable } from '../mutable'
import { endStreams } from '../events'
import { isLocal } from '../hosts'

async function sessionOf({ engine, options, request }: Asked, account: Account | undefined) {
  const nobody = { account: null, environments: [], start: '', tables: {} }
  const own = account ? await ownSession(engine, account) : nobody
  return {
    ...own,
    organisation: options.organisation,
    demo: account || !isLocal(request) ? [] : [...options.demoAccounts],
  }
}

async function ownSession(engine: Asked['engine'], own: Account) {
  const { id, email, name, role } = own
  const environments = (await engine.db.select().from(environment).orderBy(asc(environment.position))).map(
    ({ name: of, live }) => ({ name: of, live }),
  )
  const [found] = await engine.db.select({ kept: accounts.kept }).from(accounts).where(eq(accounts.id, id))
  const kept = found?.kept ?? { tables: {} }
  const there = (of: string | undefined) => environments.some((one) => one.name === of)
  // who comes for the first time begins where something happened
  const [last] = there(kept.environment)
    ? []
    : await engine.db.select({ name: run.environment }).from(run).orderBy(desc(run.createdAt)).limit(1)
  const start = [kept.environment, last?.name].find(there) ?? environments[0]?.name ?? ''
  return {
    account: { email, name, role, environments: own.environments },
    environments,
    start,
    tables: mutable(kept.tables),
  }
}

export const sessionHandlers: Pick<Handlers, 'session' | 'signIn' | 'invitation' | 'signOut' | 'keepForMe'> =
  {
    session: async (asked) => await sessionOf(asked, asked.account),
    signIn: async (asked, { body }) => {
      const account = await checkPassword(asked.engine, body.email, body.password)
      if (!account) fail('signed-out', 'no account has this address and password')
      await openSession(asked.engine, asked.response, account)
      return await sessionOf(asked, account)
    },
    invitation: async (asked, { body }) => {
      const account = await takeInvitation(asked.engine, body)
      await openSession(asked.engine, asked.response, account)
      return await sessionOf(asked, account)
    },
    keepForMe: async ({ engine, account }, { body: { environment: where, table } }) => {
      const change = {
        ...(where === undefined ? {} : { environment: where }),
        ...(table === undefined ? {} : { table: { [table.name]: table.settings } }),
      }
      // one statement, so that two pages that keep something at once lose neither
      await engine.db
        .update(accounts)
        .set({
          kept: sql`${accounts.kept} || ${JSON.stringify(where === undefined ? {} : { environment: where })}::jsonb
          || jsonb_build_object('tables', coalesce(${accounts.kept} -> 'tables', '{}') || ${JSON.stringify(change.table ?? {})}::jsonb)`,
        })
        .where(eq(accounts.id, account.id))
      return {}
    },
    signOut: async ({ engine, request, response }) => {
      const ended = await closeSession(engine, request, response)
      if (ended) endStreams(ended)
      return {}
    },
  }
