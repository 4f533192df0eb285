import { hostname } from 'node:os'
import { Logger, run as startQueue, type Runner } from 'graphile-worker'
import { runProfile } from '../catalog/profile'
import type { Engine } from '../context/engine'
import { handOver, runSurvey } from '../survey/survey'
import { runTry } from '../trying/runTry'
import { tidy } from '../keeping/keep'
import { runLoad, type LoadEnd } from '../running/runLoad'
import type { Started } from '../running/started'

/** How long a worker may be silent before its loads are given to others, in seconds. Takes effect within this + one round of 4 s. */
const silence = 15

export interface Worker {
  readonly id: number
  stop(): Promise<void>
}

/**
 * Takes loads off the queue and runs them, `capacity` at a time. Beats its heart, gives the loads of dead workers
 * to others, and breaks off loads whose run is stopped. Needs only the database and the stores it touches.
 */
export async function startWorker(engine: Engine, capacity: number): Promise<Worker> {
  const threads = Number(process.env.UV_THREADPOOL_SIZE ?? 4)
  if (threads < capacity * 4)
    throw new Error(
      `a worker of ${capacity} loads needs UV_THREADPOOL_SIZE of at least ${capacity * 4}, set before Node starts`,
    )
  const { rows } = await engine.db.$client.query<{ id: number }>(
    'insert into mattock.worker (host, pid, capacity) values ($1, $2, $3) returning id',
    [hostname(), process.pid, capacity],
  )
  const id = rows[0]!.id
  const active = new Map<number, { run: number; abort: AbortController }>()
  const surveys = new Map<number, AbortController>()
  const tries = new Map<number, AbortController>()
  const queue = await startQueue({
    connectionString: engine.databaseUrl,
    concurrency: capacity,
    noHandleSignals: true,
    pollInterval: 1000,
    maxPoolSize: capacity + 3,
    logger: queueLog(engine),
    taskList: {
      load: (payload) => work(engine, id, (payload as { load: number }).load, active),
      profile: (payload) => {
        const { dataset, exact } = payload as { dataset: number; exact?: boolean }
        return runProfile(engine, dataset, exact)
      },
      try: (payload) => tryOut(engine, id, (payload as { try: number }).try, tries),
      tidy: async () => void (await tidy(engine)),
      survey: (payload) => look(engine, id, (payload as { survey: number }).survey, surveys),
    },
  })
  const beat = every(engine, 'the heartbeat', 3000, async () => {
    await engine.db.$client.query(
      `insert into mattock.worker (id, host, pid, capacity, memory, load) values ($1, $2, $3, $4, $5, $6)
       on conflict (id) do update set beat_at = clock_timestamp(), memory = excluded.memory, load = excluded.load`,
      [id, hostname(), process.pid, capacity, process.resourceUsage().maxRSS * 1024, active.size],
    )
  })
  const sweep = every(engine, 'taking over from silent workers', 4000, async () => {
    await engine.db.$client.query('select mattock.take_over(make_interval(secs => $1))', [silence])
    await engine.db.$client.query('select mattock.take_over_surveys(make_interval(secs => $1))', [silence])
    await engine.db.$client.query('select mattock.end_lost_tries(make_interval(secs => $1))', [silence])
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
    for (const { id: run } of stopping)
      for (const entry of active.values()) if (entry.run === run) entry.abort.abort()
  })
  const stop = async () => {
    for (const abort of surveys.values()) abort.abort(handOver)
    await stopWorker(engine, id, queue, [beat, sweep, tidying, stops])
  }
  return { id, stop }
}

async function stopWorker(
  engine: Engine,
  id: number,
  queue: Runner,
  timers: readonly (() => void)[],
): Promise<void> {
  await queue.stop()
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

async function work(
  engine: Engine,
  worker: number,
  load: number,
  active: Map<number, { run: number; abort: AbortController }>,
): Promise<void> {
  const { rows } = await engine.db.$client.query<Started>({
    name: 'mattock-start',
    text: 'select * from mattock.start_load($1, $2)',
    values: [load, worker],
  })
  const [started] = rows
  if (!started) return
  const abort = new AbortController()
  active.set(load, { run: started.run_id, abort })
  let end: LoadEnd
  try {
    end = await runLoad(engine, started, abort.signal)
  } catch (error) {
    // Mattock's own store did not answer, or a fault of ours: the load is not to hang because of it
    const message = (error as Error).message
    engine.log.error({ error, run: started.run_id, load, attempt: started.attempt }, 'a load ended for a fault of Mattock’s own') // prettier-ignore
    end = {
      state: 'failed',
      counts: { read: 0, written: 0, unchanged: 0, rejected: 0, filtered: 0 },
      bytes: 0,
      cause: message,
      error: {
        step: null,
        code: 'internal',
        message,
        effect: 'what a step had committed stays; a rerun does not do it twice',
        advice: 'rerun; tell us if it happens again',
      },
    }
  }
  await finish(engine, started, end)
  active.delete(load)
}

/** Records the end; waits for the store to come back for a minute, then leaves the load to whoever takes it over. */
async function finish(engine: Engine, started: Started, end: LoadEnd): Promise<void> {
  const { read, written, unchanged, rejected, filtered } = end.counts
  const values = [
    started.load_id,
    started.attempt,
    end.state,
    [read, written, unchanged, rejected, filtered, end.bytes],
    end.error && JSON.stringify(end.error),
    end.cause,
  ]
  for (let attempt = 0; ; attempt++) {
    try {
      await engine.db.$client.query({
        name: 'mattock-finish',
        text: 'select mattock.finish_load($1, $2, $3, $4, $5, $6)',
        values,
      })
      return
    } catch (error) {
      engine.log.warn({ error, run: started.run_id, load: Number(started.load_id) }, 'the end of a load could not be recorded; tried again') // prettier-ignore
      if (attempt >= 60) throw error
      await new Promise((resolve) => setTimeout(resolve, 1000))
    }
  }
}

/** Does something again and again, one after the other; a fault is said and left to the next round. */
function every(engine: Engine, what: string, milliseconds: number, work: () => Promise<unknown>): () => void {
  let timer: NodeJS.Timeout
  let stopped = false
  const round = async () => {
    await work().catch((error: unknown) => engine.log.warn({ error }, `${what} did not work; tried again`))
    if (!stopped) timer = setTimeout(() => void round(), milliseconds)
  }
  void round()
  return () => {
    stopped = true
    clearTimeout(timer)
  }
}

/** What the queue itself says; that it took and ended a job is of no interest. */
const queueLog = (engine: Engine): Logger =>
  new Logger(() => (level, message) => {
    if (level === 'error' || level === 'warning')
      engine.log[level === 'error' ? 'error' : 'warn']({ queue: true }, message)
  })
