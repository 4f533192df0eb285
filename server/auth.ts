import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto'
import { promisify } from 'node:util'
import { and, eq, gt, lt } from 'drizzle-orm'
import type { Request, Response } from 'express'
import { account, apiToken, session } from '../database/schema'
import type { Engine } from '../engine/context/engine'

const derive = promisify(scrypt) as (
  password: string,
  salt: Buffer,
  length: number,
  options: object,
) => Promise<Buffer>
/** scrypt (RFC 7914) with N = 2^15, r = 8, p = 1: 32 MB and some 80 ms a try. */
const cost = { N: 32_768, r: 8, p: 1, maxmem: 64 * 1024 * 1024 }

export const cookieName = 'mattock_session'
const lifetimeDays = 14

export interface Account {
  readonly id: number
  readonly email: string
  readonly name: string
  readonly role: 'engineer' | 'reader'
}

export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16)
  return `scrypt$${salt.toString('base64')}$${(await derive(password, salt, 32, cost)).toString('base64')}`
}

async function passwordFits(password: string, stored: string): Promise<boolean> {
  const [, salt = '', hash = ''] = stored.split('$')
  const given = await derive(password, Buffer.from(salt, 'base64'), 32, cost)
  const right = Buffer.from(hash, 'base64')
  return given.length === right.length && timingSafeEqual(given, right)
}

export const sha256 = (text: string): string => createHash('sha256').update(text).digest('hex')

// an unknown address costs as much time as a wrong password
const nobody = `scrypt$${randomBytes(16).toString('base64')}$${randomBytes(32).toString('base64')}`

/** The account, or undefined where address or password is wrong. */
export async function checkPassword(
  engine: Engine,
  email: string,
  password: string,
): Promise<Account | undefined> {
  const [found] = await engine.db.select().from(account).where(eq(account.email, email.trim().toLowerCase()))
  const fits = await passwordFits(password, found?.password ?? nobody)
  return found && fits ? found : undefined
}

export async function openSession(engine: Engine, response: Response, of: Account): Promise<void> {
  const value = randomBytes(32).toString('base64url')
  const expires = new Date(Date.now() + lifetimeDays * 86_400_000)
  await engine.db.delete(session).where(lt(session.expiresAt, new Date().toISOString()))
  await engine.db
    .insert(session)
    .values({ hash: sha256(value), accountId: of.id, expiresAt: expires.toISOString() })
  response.cookie(cookieName, value, {
    httpOnly: true,
    sameSite: 'strict',
    secure: response.req.secure,
    expires,
    path: '/',
  })
}

const cookieOf = (request: Request): string | undefined =>
  request.headers.cookie
    ?.split(';')
    .map((pair) => pair.trim())
    .find((pair) => pair.startsWith(`${cookieName}=`))
    ?.slice(cookieName.length + 1)

export async function closeSession(engine: Engine, request: Request, response: Response): Promise<void> {
  const value = cookieOf(request)
  if (value) await engine.db.delete(session).where(eq(session.hash, sha256(value)))
  response.clearCookie(cookieName, { path: '/' })
}

/** Who asks: by a bearer token (the command) or the session cookie (the browser). */
export async function whoAsks(engine: Engine, request: Request): Promise<Account | undefined> {
  const [kind, token] = (request.headers.authorization ?? '').split(' ')
  const columns = { id: account.id, email: account.email, name: account.name, role: account.role }
  if (kind === 'Bearer' && token) {
    const [found] = await engine.db
      .select(columns)
      .from(apiToken)
      .innerJoin(account, eq(account.id, apiToken.accountId))
      .where(eq(apiToken.hash, sha256(token)))
    return found
  }
  const value = cookieOf(request)
  if (!value) return undefined
  const [found] = await engine.db
    .select(columns)
    .from(session)
    .innerJoin(account, eq(account.id, session.accountId))
    .where(and(eq(session.hash, sha256(value)), gt(session.expiresAt, new Date().toISOString())))
  return found
}

export async function makeToken(engine: Engine, accountId: number, name: string): Promise<string> {
  const token = `mtk_${randomBytes(32).toString('base64url')}`
  await engine.db.insert(apiToken).values({ hash: sha256(token), accountId, name })
  return token
}

/**
 * Does a request that changes something come from our own pages? Browsers send Origin with every such request, and
 * no foreign page can set our header without a preflight that we never answer. Requests with a token are no browser's.
 */
export function fromOurPages(request: Request): boolean {
  if (request.headers.authorization) return true
  const { origin, host } = request.headers
  if (origin !== undefined) {
    try {
      if (new URL(origin).host !== host) return false
    } catch {
      return false
    }
  }
  return request.headers['x-mattock'] === '1'
}
