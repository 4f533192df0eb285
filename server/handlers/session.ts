import { asc } from 'drizzle-orm'
import { fail } from '../../core/fault'
import { environment } from '../../database/schema'
import type { Asked, Handlers } from '../handler'
import { checkPassword, closeSession, openSession, type Account } from '../auth'

async function sessionOf({ engine, options }: Asked, account: Account | undefined) {
  return {
    account: account ? { email: account.email, name: account.name, role: account.role } : null,
    environments: account
      ? (await engine.db.select().from(environment).orderBy(asc(environment.position))).map(
          ({ name, live }) => ({ name, live }),
        )
      : [],
    organisation: options.organisation,
    demo: account ? [] : [...options.demoAccounts],
  }
}

export const sessionHandlers: Pick<Handlers, 'session' | 'signIn' | 'signOut'> = {
  session: async (asked) => await sessionOf(asked, asked.account),
  signIn: async (asked, { body }) => {
    const account = await checkPassword(asked.engine, body.email, body.password)
    if (!account) fail('signed-out', 'no account has this address and password')
    await openSession(asked.engine, asked.response, account)
    return await sessionOf(asked, account)
  },
  signOut: async ({ engine, request, response }) => {
    await closeSession(engine, request, response)
    return {}
  },
}
