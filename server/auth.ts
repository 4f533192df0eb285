import { createHash, randomBytes, scrypt, timingSafeEqual } from 'node:crypto'
import { promisify } from 'node:util'
import { and, eq, gt, isNull, lt, or } from 'drizzle-orm'
import type { Request, Response } from 'express'
import type { Right, Role } from '../core/rights'
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

/**
 * The cookie of a session. Browsers keep cookies by host alone, so that its name says the port: two servers of one machine
 * sign nobody out of each other.
 */
export const cookieName = ({ headers }: Pick<Request, 'headers'>): string => {
  const port = /:(\d{1,5})$/.exec(headers.host ?? '')?.[1]
  return port === undefined ? 'mattock_session' : `mattock_session_${port}`
}
/** A session ends so long after its beginning, and so long after it was last used. */
const lifetimeDays = 14
export const idleHours = 24

export interface Account {
  readonly id: number
  readonly email: string
  readonly name: string
  readonly role: Role
  readonly environments: Readonly<Record<string, Role>>
  /** What the token that asks may do at most. */
  readonly atMost?: Right
  /** The session that asks. */
  readonly session?: string
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

export async function openSession(
  engine: Engine,
  response: Response,
  of: Pick<Account, 'id'>,
): Promise<void> {
  const value = randomBytes(32).toString('base64url')
  const expires = new Date(Date.now() + lifetimeDays * 86_400_000)
  await engine.db.delete(session).where(lt(session.expiresAt, new Date().toISOString()))
  const agent = (response.req.headers['user-agent'] ?? '').slice(0, 200)
  await engine.db
    .insert(session)
    .values({ hash: sha256(value), accountId: of.id, expiresAt: expires.toISOString(), agent })
  response.cookie(cookieName(response.req), value, {
    httpOnly: true,
    sameSite: 'strict',
    secure: response.req.secure,
    expires,
    path: '/',
  })
}

const cookieOf = (request: Request): string | undefined => {
  const own = `${cookieName(request)}=`
  return request.headers.cookie
    ?.split(';')
    .map((pair) => pair.trim())
    .find((pair) => pair.startsWith(own))
    ?.slice(own.length)
}

/** Ends the session of a request; returns which. */
export async function closeSession(
  engine: Engine,
  request: Request,
  response: Response,
): Promise<string | undefined> {
  const value = cookieOf(request)
  if (value) await engine.db.delete(session).where(eq(session.hash, sha256(value)))
  response.clearCookie(cookieName(request), { path: '/' })
  return value && sha256(value)
}

/** Does a request stand by a token alone? Then no cookie counts, and no foreign page can have sent it. */
const tokenOf = (request: Request): string | undefined =>
  /^Bearer (\S+)$/.exec(request.headers.authorization ?? '')?.[1]

const columns = {
  id: account.id,
  email: account.email,
  name: account.name,
  role: account.role,
  environments: account.environments,
}

/** Who asks: by a bearer token (the command) or the session cookie (the browser). */
export async function whoAsks(engine: Engine, request: Request): Promise<Account | undefined> {
  const token = tokenOf(request)
  const value = token ?? cookieOf(request)
  if (!value) return undefined
  const hash = sha256(value)
  const account = await (token === undefined ? whoseSession(engine, hash) : whoseToken(engine, hash))
  if (account) remember(hash, account.id)
  return account
}

/** Who asked before, by the hash of what they asked with; only whose turn it is goes by it. */
const askedBefore = new Map<string, number>()
const askedKept = 10_000

function remember(hash: string, id: number): void {
  askedBefore.delete(hash)
  askedBefore.set(hash, id)
  if (askedBefore.size > askedKept) askedBefore.delete(askedBefore.keys().next().value!)
}

/**
 * In whose line a request waits for its turn: its person's; `unknown` where it comes with something that nobody asked with
 * before, and `nobody` where it comes with nothing.
 */
export function lineOf(request: Request): string {
  const value = tokenOf(request) ?? cookieOf(request)
  if (!value) return 'nobody'
  const id = askedBefore.get(sha256(value))
  return id === undefined ? 'unknown' : `person ${id}`
}

async function whoseToken(engine: Engine, hash: string): Promise<Account | undefined> {
  const [found] = await engine.db
    .select({ ...columns, atMost: apiToken.atMost, usedAt: apiToken.usedAt })
    .from(apiToken)
    .innerJoin(account, eq(account.id, apiToken.accountId))
    .where(and(eq(apiToken.hash, hash), or(isNull(apiToken.expiresAt), gt(apiToken.expiresAt, now()))))
  if (!found) return undefined
  const { usedAt, ...rest } = found
  if (isStale(usedAt)) await engine.db.update(apiToken).set({ usedAt: now() }).where(eq(apiToken.hash, hash))
  return rest
}

/** Whose a session is; undefined where it ended, or was not used for too long. A stream that stays open is no use. */
export async function whoseSession(engine: Engine, hash: string, used = true): Promise<Account | undefined> {
  const idleSince = new Date(Date.now() - idleHours * 3_600_000).toISOString()
  const [found] = await engine.db
    .select({ ...columns, seenAt: session.seenAt })
    .from(session)
    .innerJoin(account, eq(account.id, session.accountId))
    .where(and(eq(session.hash, hash), gt(session.expiresAt, now()), gt(session.seenAt, idleSince)))
  if (!found) return undefined
  const { seenAt, ...rest } = found
  if (used && isStale(seenAt))
    await engine.db.update(session).set({ seenAt: now() }).where(eq(session.hash, hash))
  return { ...rest, session: hash }
}

const now = (): string => new Date().toISOString()

/** Use is noted to the minute, not at every request. */
const isStale = (at: string | null): boolean => at === null || Date.now() - new Date(at).getTime() > 60_000

/** Makes a token; it is told this once. It may do what the account may, `atMost` at most, until it ends. */
export async function makeToken(
  engine: Engine,
  accountId: number,
  name: string,
  { atMost = 'house', expiresAt = null }: { atMost?: Right; expiresAt?: string | null } = {},
): Promise<string> {
  const token = `mtk_${randomBytes(32).toString('base64url')}`
  await engine.db.insert(apiToken).values({ hash: sha256(token), accountId, name, atMost, expiresAt })
  return token
}

/**
 * Does a request that changes something come from our own pages? Browsers send Origin with every such request, and
 * no foreign page can set our header without a preflight that we never answer. Requests with a token are no browser's.
 */
export function fromOurPages(request: Request): boolean {
  if (tokenOf(request) !== undefined) return true
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
