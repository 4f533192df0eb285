import { listen } from '../context/listen'
import { point } from '../context/points'
import type { Started } from '../running/started'
import { every } from './every'
import { workLoad, type LoadWork } from './loads'

export interface Taking {
  /** Takes nothing more, from now on. */
  halt(): void
  /** Takes nothing more; resolves when what runs has ended. */
  stop(): Promise<void>
}

/** Milliseconds within which several calls for workers are one. */
const together = 15

/**
 * Keeps the places of a worker filled: it takes loads when it is called, once a second, and, with the word that a load has
 * ended, the next one for its place.
 */
export function takeLoads(work: LoadWork, capacity: number): Taking {
  const { engine, worker, active } = work
  let stopped = false
  let asking = false
  let called: NodeJS.Timeout | undefined
  let idle: (() => void) | undefined
  /** Runs a load, and what its place is given after it, until it is given nothing. */
  const run = async (first: Started): Promise<void> => {
    for (let next: Started | undefined = first; next;) {
      const started: Started = next
      next = undefined
      try {
        await point('load-taken')
        next = await workLoad(work, started, () => !stopped)
      } catch (error) {
        // not held any more, it is given to others
        engine.log.error(
          { error, load: Number(started.load_id) },
          'a load was let go for a fault of Mattock’s own',
        )
      }
      active.delete(Number(started.load_id))
      if (next) hold(next)
    }
    if (stopped) idle?.()
    else call()
  }
  const hold = (started: Started): void =>
    void active.set(Number(started.load_id), { run: started.run_id, abort: new AbortController() })
  const ask = async (): Promise<void> => {
    if (stopped || asking || active.size >= capacity) return
    asking = true
    try {
      const { rows } = await engine.db.$client.query<Started>({
        name: 'mattock-take',
        text: 'select * from mattock.take_loads($1, $2)',
        values: [worker, capacity - active.size],
      })
      for (const started of rows) {
        hold(started)
        void run(started)
      }
    } finally {
      asking = false
    }
  }
  const call = (): void => {
    if (stopped || active.size >= capacity) return
    called ??= setTimeout(() => {
      called = undefined
      ask().catch((error: unknown) => engine.log.warn({ error }, 'taking loads did not work; tried again'))
    }, together)
  }
  const deaf = listen(engine, 'mattock_work', call)
  const round = every(engine, 'taking loads', 1000, ask)
  const halt = () => void (stopped = true)
  return {
    halt,
    stop: async () => {
      halt()
      round()
      clearTimeout(called)
      await deaf()
      while (asking) await new Promise((resolve) => setTimeout(resolve, 10))
      if (active.size > 0) await new Promise<void>((resolve) => (idle = () => active.size === 0 && resolve()))
    },
  }
}
