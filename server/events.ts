import type { Request, Response } from 'express'
import pg from 'pg'
import { fail } from '../core/fault'
import type { Engine } from '../engine/context/engine'
import { whoseSession, type Account } from './auth'

/** The pages that listen to what an engine's store says, and the one connection that hears it for all of them. */
interface Hearing {
  readonly listeners: Set<Response>
  /** What was heard and not passed on yet. */
  changed: Set<string>
  connection?: Promise<void> | undefined
  flush?: NodeJS.Timeout | undefined
}
const hearings = new WeakMap<Engine, Hearing>()

function hearingOf(engine: Engine): Hearing {
  const hearing = hearings.get(engine) ?? { listeners: new Set(), changed: new Set() }
  hearings.set(engine, hearing)
  return hearing
}

/** Opens the connection where there is none; it is opened again where it is lost while anybody listens. */
function hear(engine: Engine, hearing: Hearing): Promise<void> {
  hearing.connection ??= (async () => {
    const client = new pg.Client({
      connectionString: engine.databaseUrl,
      application_name: 'mattock events',
    })
    const lost = () => {
      hearing.connection = undefined
      setTimeout(() => hearing.listeners.size > 0 && hear(engine, hearing).catch(lost), 1000)
    }
    client.on('error', lost)
    client.on('end', () => (hearing.connection = undefined))
    client.on('notification', ({ payload }) => void hearing.changed.add(payload ?? '{}'))
    await client.connect()
    await client.query('listen mattock')
  })()
  hearing.connection.catch(() => (hearing.connection = undefined))
  return hearing.connection
}

/** Open streams by the session that opened them: they end with it. */
const streams = new Map<string, Set<Response>>()

/** Streams of one person, and of all. A page has one. */
const mostStreams = { person: 40, all: 2000 }
const open = new Map<number, number>()

/** Counts a stream of somebody until it ends. @throws FaultError `too-many` */
function countStream({ id }: Account, response: Response): void {
  const own = open.get(id) ?? 0
  const all = [...open.values()].reduce((sum, one) => sum + one, 0)
  if (own >= mostStreams.person) fail('too-many', `${own} pages of yours listen already; close some of them`)
  if (all >= mostStreams.all) fail('busy', `${all} pages listen already, more are not served`)
  open.set(id, own + 1)
  response.once('close', () => {
    const left = (open.get(id) ?? 1) - 1
    if (left > 0) open.set(id, left)
    else open.delete(id)
  })
}

/** Bytes that wait for somebody who does not read: they are let go of, and come back by themselves if they are there. */
const mostUnread = 65_536

/** Ends the streams of a session that ended. */
export function endStreams(session: string): void {
  for (const response of streams.get(session) ?? []) response.end()
  streams.delete(session)
}

/** Tells everybody what was heard since the last time: made up once, however many listen. */
function passOn(hearing: Hearing): void {
  if (hearing.changed.size === 0) return
  const runs = [...hearing.changed].map((what) => (JSON.parse(what) as { run?: number }).run)
  hearing.changed = new Set()
  const text = `data: ${JSON.stringify({ runs })}\n\n`
  for (const response of hearing.listeners)
    if (response.writableLength > mostUnread) response.destroy()
    else response.write(text)
}

/** Server-sent events (HTML standard, 9.2): which runs changed, at most four times a second. */
export function liveEvents(engine: Engine, account: Account, request: Request, response: Response): void {
  countStream(account, response)
  response.writeHead(200, {
    'Content-Type': 'text/event-stream',
    'Cache-Control': 'no-store',
    Connection: 'keep-alive',
  })
  response.write('retry: 2000\n\n')
  const { session } = account
  if (session !== undefined) streams.set(session, (streams.get(session) ?? new Set()).add(response))
  const alive = setInterval(() => {
    response.write(': still here\n\n')
    // one that was ended elsewhere, or was not used for too long
    if (session !== undefined)
      whoseSession(engine, session, false).then((who) => who ?? response.end(), () => {}) // prettier-ignore
  }, 20_000)
  const hearing = hearingOf(engine)
  hearing.listeners.add(response)
  hearing.flush ??= setInterval(() => passOn(hearing), 250)
  hear(engine, hearing).catch((error: unknown) => engine.log.warn({ error }, 'live events are not heard'))
  request.on('close', () => {
    clearInterval(alive)
    hearing.listeners.delete(response)
    if (session !== undefined) streams.get(session)?.delete(response)
    if (hearing.listeners.size > 0) return
    clearInterval(hearing.flush)
    hearing.flush = undefined
    hearing.changed = new Set()
  })
}
