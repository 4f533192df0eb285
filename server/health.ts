import { statfs } from 'node:fs/promises'
import type { Health } from '../contract/health'
import { healthWords } from '../core/health'
import type { Engine } from '../engine/context/engine'

/** Milliseconds between two looks, and in which the database must have answered one. */
const lookEvery = 2000
const answerWithin = 4000
/** Bytes below which a disk is held to be full: Postgres needs some to end what it began. */
const leastFree = 200 * 2 ** 20

export interface HealthWatch {
  readonly now: () => Health
  /** The one who keeps the database says why it is away. */
  readonly databaseIs: (news: { state: 'away'; reason: string } | { state: 'back' }) => void
  /** A request met a database that is away: that is known before the next look. */
  readonly metNoDatabase: (error: Error) => void
  readonly close: () => void
}

interface Seen {
  database?: { since: string; reason: string }
  /** What whoever keeps the database said last. */
  told?: string | undefined
  workers?: { since: string }
  alive: number
  disk?: { since: string }
  free: number | null
}

/** Looks again and again how the database, the workers and the disk are. */
export function watchHealth(engine: Engine): HealthWatch {
  const seen: Seen = { alive: 0, free: null }
  const since = (before: { since: string } | undefined) => before?.since ?? new Date().toISOString()
  const away = (reason: string) => {
    seen.database = { since: since(seen.database), reason: seen.told ?? reason }
  }
  const look = async () => {
    try {
      const { rows } = await within(
        engine.db.$client.query<{ alive: number; waiting: boolean }>(
          `select (select count(*)::int from mattock.worker where beat_at > clock_timestamp() - interval '15 s') as alive,
             exists (select 1 from mattock.run_part p join mattock.run r on r.id = p.run_id
                     where r.state = 'running' and p.waiting > 0) as waiting`,
        ),
      )
      delete seen.database
      seen.told = undefined
      seen.alive = rows[0]!.alive
      if (seen.alive === 0 && rows[0]!.waiting) seen.workers = { since: since(seen.workers) }
      else delete seen.workers
    } catch (error) {
      away(reasonOf(error as Error))
    }
    const disk = await statfs(engine.dataFolder).catch(() => undefined)
    seen.free = disk ? disk.bavail * disk.bsize : null
    if (seen.free !== null && seen.free < leastFree) seen.disk = { since: since(seen.disk) }
    else delete seen.disk
  }
  let timer: NodeJS.Timeout
  let closed = false
  const round = async () => {
    await look()
    if (!closed) timer = setTimeout(() => void round(), lookEvery)
  }
  void round()
  return {
    now: () => healthOf(seen),
    databaseIs: (news) => {
      seen.told = news.state === 'away' ? news.reason : undefined
      if (news.state === 'away') away(news.reason)
    },
    metNoDatabase: (error) => away(reasonOf(error)),
    close: () => {
      closed = true
      clearTimeout(timer)
    },
  }
}

const within = <T>(work: Promise<T>): Promise<T> =>
  Promise.race([
    work,
    new Promise<never>((_, reject) => {
      setTimeout(() => reject(new Error('it does not answer')), answerWithin).unref()
    }),
  ])

function reasonOf(error: Error & { code?: string }): string {
  if (error.code === 'ECONNREFUSED' || error.code === 'ENOENT') return 'nothing answers at its address'
  if (error.code === '57P03') return 'it is starting'
  if (error.code === '53300') return 'it has no connection left'
  if (error.code === '53100') return 'no space left on its disk'
  return 'it does not answer'
}

/** What is seen, in words as well. */
export function healthOf({ database, workers, alive, disk, free }: Seen): Health {
  const parts = {
    database: { ok: !database, since: database?.since ?? null, reason: database?.reason ?? null },
    workers: { ok: !workers, since: workers?.since ?? null, alive },
    disk: { ok: !disk, since: disk?.since ?? null, free },
  }
  const words = healthWords(parts, clock)
  return { ok: words.length === 0, words, ...parts }
}

/** Hours and minutes of the server’s own clock; the pages say it in theirs. */
const clock = (instant: string): string =>
  new Date(instant).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
