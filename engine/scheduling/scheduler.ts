import type { Engine } from '../context/engine'
import { anyDue, beginDue, takeNext } from './begin'
import { decideDue } from './due'
import { lookAtEnded } from './happened'
import { newestVersion, syncStarts } from './states'

export interface SchedulerOptions {
  /** Runs that are planned and begun at the same time. */
  readonly atOnce?: number
  /** Milliseconds between two looks at what has ended and what was saved. */
  readonly look?: number
}

/**
 * Begins what is to begin by itself. It may run in any number of processes: what each decides is a row that only one of
 * them can write. It looks when the next start is due, and some times a second at what has happened; where the database
 * is away it goes on when it is back.
 * @returns ends it, what it is at included
 */
export function startScheduler(engine: Engine, { atOnce = 4, look = 400 }: SchedulerOptions = {}): () => Promise<void> {
  let stopped = false
  let wake = () => {}
  let seen = ''
  let synced = 0
  const beginning = new Set<Promise<void>>()
  /** Begins what is due, some at the same time and one after the other, until nothing more is. */
  const beginAll = async () => {
    while (!stopped) {
      const due = await takeNext(engine)
      if (!due) return
      await beginDue(engine, due).catch((error: Error) =>
        engine.log.warn({ error, occasion: due.id }, 'a start is taken up again later'),
      )
    }
  }
  const beginSome = () => {
    while (beginning.size < atOnce) {
      const work: Promise<void> = beginAll()
        .catch((error: Error) => engine.log.warn({ error }, 'what is due could not be taken up; tried again'))
        .finally(() => beginning.delete(work))
      beginning.add(work)
    }
  }
  const round = async (): Promise<number> => {
    const newest = await newestVersion(engine.db.$client)
    // now and then whatever was seen: a database may have been put back
    if (newest !== seen || Date.now() - synced > 60_000) {
      await syncStarts(engine)
      ;[seen, synced] = [newest, Date.now()]
    }
    while ((await lookAtEnded(engine)) > 0);
    const { wait } = await decideDue(engine)
    if (await anyDue(engine)) beginSome()
    return wait
  }
  const loop = async () => {
    while (!stopped) {
      const wait = await round().catch((error: Error) => {
        engine.log.warn({ error }, 'starts could not be looked at; tried again')
        return Infinity
      })
      if (stopped) break
      await new Promise<void>((resolve) => {
        const timer = setTimeout(resolve, Math.max(10, Math.min(look, wait)))
        wake = () => {
          clearTimeout(timer)
          resolve()
        }
      })
    }
    await Promise.all(beginning)
  }
  const running = loop()
  return async () => {
    stopped = true
    wake()
    await running
  }
} // prettier-ignore
