import { hostname } from 'node:os'
import { Logger, run as startQueue, type Runner } from 'graphile-worker'
import { runProfile } from '../catalog/profile'
import type { Engine } from '../context/engine'
import { handOver, runSurvey } from '../survey/survey'
import { runTry } from '../trying/runTry'
import { tidy } from '../keeping/keep'
import type { Apart } from './apart'
import { every } from './every'
import { decidePart } from '../running/decide'
import { lastHour } from './lastHour'
import { end, type Held, type LoadWork } from './loads'
import { takeLoads, type Taking } from './taking'

export interface Worker {
  readonly id: number
  /** Ends it: its loads come to their ends first, or, after so many milliseconds, are given to others. */
  stop(within?: number): Promise<void>
}

export interface WorkerOptions {
  /** Of which Mattock it is. */
  readonly version?: string
  /** What it reaches, beside what every worker does. */
  readonly tags?: readonly string[]
  /** How a load is run in a process of its own. */
  readonly apart?: Apart
  /** Ends this process at once: what it held is with others, or soon will be. */
  readonly endHard?: (why: string) => void
}

/**
 * Takes loads and runs them, `capacity` at a time, and beside them what the queue holds: surveys, tries and the like. Beats its heart, gives the loads of dead workers
 * to others, and breaks off loads whose run is stopped. Needs only the database and the stores it touches. Where it may
 * end its process (`endHard`), it does so when a load does not end that must, or when it takes more memory than it may.
 */
export async function startWorker(
  engine: Engine,
  capacity: number,
  options: WorkerOptions = {},
): Promise<Worker> {
  // surveys, tries and the like, beside the loads
  const others = Math.ceil(capacity / 2)
  const { version = '', tags = [] } = options
  const hour = lastHour()
  const threads = Number(process.env.UV_THREADPOOL_SIZE ?? 4)
  const wanted = (capacity + others) * 4
  if (threads < wanted)
    throw new Error(`a worker of ${capacity} loads needs UV_THREADPOOL_SIZE of at least ${wanted}, set before Node starts`) // prettier-ignore
  const { rows } = await engine.db.$client.query<{ id: number }>(
    'insert into mattock.worker (host, pid, capacity, version, tags) values ($1, $2, $3, $4, $5) returning id',
    [hostname(), process.pid, capacity, version, tags],
  )
  const id = rows[0]!.id
  const active = new Map<number, Held>()
  const surveys = new Map<number, AbortController>()
  const tries = new Map<number, AbortController>()
  const loads: LoadWork = { engine, worker: id, active, apart: options.apart, ended: hour.note }
  const queue = await startQueue({
    connectionString: engine.databaseUrl,
    concurrency: others,
    noHandleSignals: true,
    pollInterval: 1000,
    forbiddenFlags: () => outOfReach(engine, tags),
    maxPoolSize: others + 3,
    logger: queueLog(engine),
    taskList: {
      decide: (payload) => decidePart(engine, payload as { run: number; part: number }),
      profile: (payload) => {
        const { dataset, exact } = payload as { dataset: number; exact?: boolean }
        return runProfile(engine, dataset, exact)
      },
      try: (payload) => tryOut(engine, id, (payload as { try: number }).try, tries),
      tidy: async () => void (await tidy(engine)),
      survey: (payload) => look(engine, id, (payload as { survey: number }).survey, surveys),
    },
  })
  const taking = takeLoads(loads, capacity)
  // a dead worker's loads are with others within its silence and one round of looking
  const { silence } = engine.limits
  const beat = every(engine, 'the heartbeat', silence / 5, async () => {
    await engine.db.$client.query(
      `insert into mattock.worker (id, host, pid, capacity, memory, load, holding, version, last_hour, tags) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10)
       on conflict (id) do update set beat_at = clock_timestamp(), held_at = clock_timestamp(), memory = excluded.memory, load = excluded.load, holding = excluded.holding,
         last_hour = excluded.last_hour`,
      [
        id,
        hostname(),
        process.pid,
        capacity,
        process.resourceUsage().maxRSS * 1024,
        active.size,
        [...active.keys()],
        version,
        hour.count(),
        tags,
      ],
    )
  })
  const sweep = every(engine, 'taking over from silent workers', silence / 4, async () => {
    await engine.db.$client.query('select mattock.take_over(make_interval(secs => $1))', [silence / 1000])
    await engine.db.$client.query('select mattock.take_over_surveys(make_interval(secs => $1))', [
      silence / 1000,
    ])
    await engine.db.$client.query('select mattock.end_lost_tries(make_interval(secs => $1))', [
      silence / 1000,
    ])
  })
  const tidying = every(engine, 'taking away what is old', 3_600_000, () => tidy(engine))
  const stops = every(engine, 'looking for what is to be stopped', 500, async () => {
    await stopAsked(engine, 'survey', surveys)
    await stopAsked(engine, 'try', tries)
    if (active.size === 0) return
    const runs = [...new Set([...active.values()].map(({ run }) => run))]
    const { rows: stopping } = await engine.db.$client.query<{ id: number }>(
      'select id from mattock.run where id = any ($1) and stopping',
      [runs],
    )
    for (const { id: run } of stopping) for (const held of active.values()) if (held.run === run) end(held)
  })
  const { endHard } = options
  const guard = endHard && guardProcess(engine, id, active, taking, endHard)
  if (endHard) queue.promise.catch((error: Error) => endHard(`the queue ended: ${error.message}`))
  const stop = async (within?: number) => {
    guard?.()
    for (const abort of surveys.values()) abort.abort(handOver)
    const stopping = stopWorker(engine, id, queue, taking, [beat, sweep, tidying, stops])
    if (within === undefined) return await stopping
    const late = new Promise<'late'>((resolve) => setTimeout(() => resolve('late'), within))
    if ((await Promise.race([stopping.catch(() => 'late' as const), late])) === 'late' && active.size > 0)
      await engine.db.$client.query('select mattock.leave_worker($1, $2)', [id, []])
  }
  return { id, stop }
}

/** Tags that connections need and a worker does not have: what the queue holds for them is left to others. */
async function outOfReach(engine: Engine, tags: readonly string[]): Promise<string[]> {
  const { rows } = await engine.db.$client.query<{ tag: string }>(
    `select distinct n.tag from mattock.connection c, unnest(c.needs) n(tag) where n.tag <> all ($1)`,
    [tags],
  )
  return rows.map(({ tag }) => tag)
}

/**
 * Watches what a load can do to its worker: end not when it is asked to, and take all memory. Then the worker lets go of
 * what it holds, so that others take it at once, and ends.
 */
function guardProcess(
  engine: Engine,
  worker: number,
  active: ReadonlyMap<number, Held>,
  taking: Taking,
  endHard: (why: string) => void,
): () => void {
  const { memory, stopWithin } = engine.limits
  let leaving = false
  const leave = async (why: string, died: readonly number[]) => {
    if (leaving) return
    leaving = true
    // what it gives back is not for itself
    taking.halt()
    engine.log.error({ loads: [...active.keys()] }, why)
    const gone = engine.db.$client.query('select mattock.leave_worker($1, $2)', [worker, died])
    await Promise.race([gone.catch(() => {}), new Promise((resolve) => setTimeout(resolve, 3000))])
    endHard(why)
  }
  const timer = setInterval(() => {
    const now = performance.now()
    const stuck = [...active].filter(([, { asked }]) => asked !== undefined && now - asked > stopWithin)
    if (stuck.length > 0)
      return void leave('a load did not end when it was asked to', stuck.map(([load]) => load)) // prettier-ignore
    if (process.memoryUsage.rss() > memory) void leave(`more than ${Math.round(memory / 2 ** 20)} MB of memory are taken`, [...active.keys()]) // prettier-ignore
  }, 250)
  return () => clearInterval(timer)
}

async function stopWorker(
  engine: Engine,
  id: number,
  queue: Runner,
  taking: Taking,
  timers: readonly (() => void)[],
): Promise<void> {
  await Promise.all([queue.stop(), taking.stop()])
  for (const stop of timers) stop()
  await engine.db.$client.query('delete from mattock.worker where id = $1', [id])
}

async function look(
  engine: Engine,
  worker: number,
  survey: number,
  surveys: Map<number, AbortController>,
): Promise<void> {
  const abort = new AbortController()
  surveys.set(survey, abort)
  try {
    await runSurvey(engine, worker, survey, abort.signal)
  } finally {
    surveys.delete(survey)
  }
}

async function tryOut(
  engine: Engine,
  worker: number,
  id: number,
  tries: Map<number, AbortController>,
): Promise<void> {
  const abort = new AbortController()
  tries.set(id, abort)
  try {
    await runTry(engine, worker, id, abort.signal)
  } catch (error) {
    // Mattock's own store did not answer, or a fault of ours
    engine.log.error({ error, try: id }, 'a try ended for a fault of Mattock’s own')
    await engine.db.$client.query(
      `update mattock.try set state = 'failed', fault = $2, ended_at = clock_timestamp() where id = $1 and state = 'running'`,
      [id, (error as Error).message],
    )
  } finally {
    tries.delete(id)
  }
}

/** Breaks off what a person asked to stop. */
async function stopAsked(
  engine: Engine,
  table: 'survey' | 'try',
  active: ReadonlyMap<number, AbortController>,
): Promise<void> {
  if (active.size === 0) return
  const { rows } = await engine.db.$client.query<{ id: number }>(
    `select id from mattock.${table} where id = any ($1) and stopping`,
    [[...active.keys()]],
  )
  for (const { id } of rows) active.get(id)?.abort()
}

/** What the queue itself says; that it took and ended a job is of no interest. */
const queueLog = (engine: Engine): Logger =>
  new Logger(() => (level, message) => {
    if (level === 'error' || level === 'warning')
      engine.log[level === 'error' ? 'error' : 'warn']({ queue: true }, message)
  })
