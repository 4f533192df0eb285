import { randomBytes } from 'node:crypto'
import { and, eq, gt, ne } from 'drizzle-orm'
import { fail } from '../core/fault'
import type { Role } from '../core/rights'
import { account, invitation } from '../database/schema'
import type { Engine } from '../engine/context/engine'
import { hashPassword, sha256, type Account } from './auth'

/** The password of an account that nobody signs in with: no hash is ever equal to it. */
const noPassword = 'none'
const lifetimeDays = 7

/** Is there anybody who can sign in? */
export async function hasPeople(engine: Engine): Promise<boolean> {
  const [found] = await engine.db
    .select({ id: account.id })
    .from(account)
    .where(ne(account.password, noPassword))
    .limit(1)
  return found !== undefined
}

/** The account that the command works with where no person has one yet. */
export async function commandAccount(engine: Engine): Promise<number> {
  const [made] = await engine.db
    .insert(account)
    .values({ email: 'command@localhost', name: 'the command', role: 'keeper', password: noPassword })
    .onConflictDoNothing()
    .returning({ id: account.id })
  if (made) return made.id
  const [found] = await engine.db
    .select({ id: account.id })
    .from(account)
    .where(eq(account.email, 'command@localhost'))
  return found!.id
}

/** Makes the code of an address at which one person makes the account of a keeper; earlier ones hold no more. */
export async function invite(engine: Engine, role: Role = 'keeper'): Promise<string> {
  const code = randomBytes(24).toString('base64url')
  await engine.db.transaction(async (tx) => {
    // of each kind the newest holds
    await tx.delete(invitation).where(eq(invitation.role, role))
    await tx.insert(invitation).values({
      hash: sha256(code),
      role,
      expiresAt: new Date(Date.now() + lifetimeDays * 86_400_000).toISOString(),
    })
  })
  return code
}

/**
 * Makes the account that an invitation is for; it then holds no more, whoever else has its address.
 * @throws FaultError `invitation` where it does not hold, `conflict` where the e-mail address has an account
 */
export async function takeInvitation(
  engine: Engine,
  given: { readonly code: string; readonly email: string; readonly name: string; readonly password: string },
): Promise<Account> {
  const password = await hashPassword(given.password)
  return await engine.db.transaction(async (tx) => {
    const [taken] = await tx
      .delete(invitation)
      .where(and(eq(invitation.hash, sha256(given.code)), gt(invitation.expiresAt, new Date().toISOString())))
      .returning()
    if (!taken)
      fail(
        'invitation',
        'this address has been used, or is too old; ask for a new one, or, where nobody has an account yet, start Mattock again',
      )
    const [made] = await tx
      .insert(account)
      .values({ email: given.email.trim().toLowerCase(), name: given.name, role: taken.role, password })
      .onConflictDoNothing()
      .returning()
    return made ?? fail('conflict', `${given.email} has an account already`, { path: 'email' })
  })
}
