import { mayPass } from '../connectors/postgres/tables'
import type { Engine } from '../context/engine'
import { point } from '../context/points'
import { StepFault } from '../context/step'
import { failure } from '../running/effect'
import { runLoad, type LoadEnd } from '../running/runLoad'
import type { Started } from '../running/started'
import { runApart, type Apart } from './apart'

/** A load is run apart from the others where so many workers ended by what may have been its doing. */
const deathsUntilApart = 2

/** How often a load is begun again where Mattock's own database does not answer: for some two minutes. */
const storeTries = 12

/** A load that a worker holds. */
export interface Held {
  readonly run: number
  readonly abort: AbortController
  /** When it was asked to end, in milliseconds of `performance.now`. */
  asked?: number
}

/** What a worker works with. */
export interface LoadWork {
  readonly engine: Engine
  readonly worker: number
  /** By the load's id. */
  readonly active: Map<number, Held>
  /** How a load is run in a process of its own; undefined where none can be begun. */
  readonly apart: Apart | undefined
  /** Told of each load that has come to its end here. */
  readonly ended?: () => void
}

/**
 * Runs a load that was taken and records its end. Returns what its place was given next, where `more` says that it may be
 * given something.
 */
export async function workLoad(
  work: LoadWork,
  started: Started,
  more: () => boolean,
): Promise<Started | undefined> {
  const { engine, active } = work
  const held = active.get(Number(started.load_id))!
  const tooLong = setTimeout(() => end(held, tooLongFault(engine)), engine.limits.time)
  try {
    await point('load-started')
    const ended = await ending(work, started, held)
    await point('before-finish')
    const next = await (ended.state === 'awaits'
      ? giveUp(work, started, ended, more)
      : finish(work, started, ended, more))
    work.ended?.()
    await point('finished')
    return next
  } finally {
    clearTimeout(tooLong)
  }
}

/** Asks a load to end. With a fault it fails by it, else it was stopped by a person. */
export function end(held: Held, fault?: StepFault): void {
  if (held.asked !== undefined) return
  held.asked = performance.now()
  held.abort.abort(fault)
}

/** Runs the load, apart where it ended workers before. Never throws. */
async function ending(work: LoadWork, started: Started, held: Held): Promise<LoadEnd> {
  const { engine, apart } = work
  for (let tries = 0; ; tries++) {
    try {
      if (started.deaths >= deathsUntilApart && apart)
        return await runApart(engine, apart, started, held.abort.signal)
      return await runLoad(engine, started, held.abort.signal)
    } catch (error) {
      // Mattock's own store did not answer: what was done is recorded, and is not done again
      if (mayPass(error) && tries < storeTries && !held.abort.signal.aborted) {
        engine.log.warn({ error, run: started.run_id, load: Number(started.load_id) }, 'a load is begun again: Mattock’s own database did not answer') // prettier-ignore
        await new Promise((resolve) => setTimeout(resolve, Math.min(15_000, 500 * 2 ** tries)))
        continue
      }
      // a fault of ours: the load is not to hang because of it
      const { message } = error as Error
      engine.log.error({ error, run: started.run_id, load: Number(started.load_id), attempt: started.attempt }, 'a load ended for a fault of Mattock’s own') // prettier-ignore
      return await failure(engine, started, 'internal', message, 'rerun; tell us if it happens again')
    }
  }
}

const tooLongFault = ({ limits }: Engine): StepFault =>
  new StepFault({
    code: 'too-long',
    message: `it took longer than ${Math.round(limits.time / 60_000)} minutes, which is the most a load may take`,
    effect: 'the step that ran was rolled back',
    advice: 'part the load, or set MATTOCK_LOAD_MINUTES higher',
  })

/**
 * Records the end, however long the store is away: what the load did is known here only. Where another took the load
 * over meanwhile, that one's word counts. Returns the load that the place was given next.
 */
async function finish(
  { engine, worker }: LoadWork,
  started: Started,
  end: LoadEnd,
  more: () => boolean,
): Promise<Started | undefined> {
  const { read, written, unchanged, rejected, filtered, merged } = end.counts
  const values = [
    started.load_id,
    started.attempt,
    end.state,
    [read, written, unchanged, rejected, filtered, end.bytes, merged],
    end.error && JSON.stringify(end.error),
    end.cause,
    worker,
  ]
  for (let attempt = 0; ; attempt++) {
    try {
      const { rows } = await engine.db.$client.query<Started>({
        name: 'mattock-finish',
        text: 'select * from mattock.finish_load($1, $2, $3, $4, $5, $6, $7, $8)',
        values: [...values, more() ? 1 : 0],
      })
      return rows[0]
    } catch (error) {
      // what the store will never take: better a plain end than none
      if (isRefused(error) && attempt > 0) values.splice(4, 2, JSON.stringify(unrecorded(end)), 'unrecorded')
      if (attempt % 30 === 0)
        engine.log.warn({ error, run: started.run_id, load: Number(started.load_id) }, 'the end of a load could not be recorded; tried again each second') // prettier-ignore
      await new Promise((resolve) => setTimeout(resolve, 1000))
    }
  }
}

/** Gives the load's place up until the run that it waits for has ended; the place is given another load. */
async function giveUp(
  { engine, worker }: LoadWork,
  started: Started,
  { run }: LoadEnd,
  more: () => boolean,
): Promise<Started | undefined> {
  for (;;) {
    try {
      await engine.db.$client.query('select mattock.await_run($1, $2, $3)', [started.load_id, started.attempt, run]) // prettier-ignore
      const { rows } = await engine.db.$client.query<Started>('select * from mattock.take_loads($1, $2)', [worker, more() ? 1 : 0]) // prettier-ignore
      return rows[0]
    } catch (error) {
      engine.log.warn({ error, run: started.run_id, load: Number(started.load_id) }, 'a load could not give its place up; tried again each second') // prettier-ignore
      await new Promise((resolve) => setTimeout(resolve, 1000))
    }
  }
}

/** Did the store answer, and not take it? */
const isRefused = (error: unknown): boolean =>
  /^[0-9A-Z]{5}$/.test((error as { code?: string }).code ?? '') && !mayPass(error)

const unrecorded = ({ error }: LoadEnd): LoadEnd['error'] =>
  error && {
    ...error,
    message: 'what it failed with could not be recorded; the log of the worker has it',
    effect: error.effect.split('\0').join(''),
  }
