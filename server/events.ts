import type { Request, Response } from 'express'
import pg from 'pg'
import type { Engine } from '../engine/context/engine'

type Listener = (what: string) => void
const listeners = new Set<Listener>()
let hearing: Promise<void> | undefined

/** One connection that hears what the store says, for all pages; opened again where it is lost. */
function hear(url: string): Promise<void> {
  hearing ??= (async () => {
    const client = new pg.Client({ connectionString: url, application_name: 'mattock events' })
    const lost = () => {
      hearing = undefined
      setTimeout(() => listeners.size > 0 && hear(url).catch(lost), 1000)
    }
    client.on('error', lost)
    client.on('end', () => (hearing = undefined))
    client.on('notification', ({ payload }) => {
      for (const listener of listeners) listener(payload ?? '{}')
    })
    await client.connect()
    await client.query('listen mattock')
  })()
  hearing.catch(() => (hearing = undefined))
  return hearing
}

/** Server-sent events (HTML standard, 9.2): which runs changed, at most four times a second. */
export function liveEvents(engine: Engine, request: Request, response: Response): void {
  response.writeHead(200, {
    'Content-Type': 'text/event-stream',
    'Cache-Control': 'no-store',
    Connection: 'keep-alive',
  })
  response.write('retry: 2000\n\n')
  let changed = new Set<string>()
  const listener: Listener = (what) => changed.add(what)
  const flush = setInterval(() => {
    if (changed.size === 0) return
    const runs = [...changed].map((what) => (JSON.parse(what) as { run?: number }).run)
    response.write(`data: ${JSON.stringify({ runs })}\n\n`)
    changed = new Set()
  }, 250)
  const alive = setInterval(() => response.write(': still here\n\n'), 20_000)
  listeners.add(listener)
  hear(engine.databaseUrl).catch(() => {})
  request.on('close', () => {
    clearInterval(flush)
    clearInterval(alive)
    listeners.delete(listener)
  })
}
