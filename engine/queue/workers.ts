import { fail } from '../../core/fault'
import type { Engine } from '../context/engine'

/** A load that a worker works on. */
interface WorkedLoad {
  readonly id: number
  readonly run: number
  readonly job: string
  readonly environment: string
  readonly key: string
  readonly startedAt: string
  readonly waitsFor: string | null
}

export interface WorkerBrief {
  readonly id: number
  readonly host: string
  readonly pid: number
  readonly version: string
  readonly capacity: number
  readonly startedAt: string
  readonly beatAt: string
  /** It was not heard of for longer than a worker may be silent. */
  readonly silent: boolean
  readonly draining: boolean
  /** What it reaches, beside what every worker does. */
  readonly tags: readonly string[]
  /** Largest resident memory it has seen, in bytes. */
  readonly memory: number
  readonly lastHour: number
  readonly loads: readonly WorkedLoad[]
}

/** Every worker that was heard of lately, with what it works on. */
export async function listWorkers(engine: Engine): Promise<WorkerBrief[]> {
  const { rows } = await engine.db.$client.query<WorkerBrief>(
    `select w.id, w.host, w.pid, w.version, w.capacity, w.started_at as "startedAt", w.beat_at as "beatAt", w.draining, w.tags, w.memory, w.last_hour as "lastHour",
       w.beat_at < clock_timestamp() - make_interval(secs => $1) as silent,
       coalesce((select jsonb_agg(jsonb_build_object('id', l.id, 'run', l.run_id, 'job', r.job, 'environment', r.environment, 'key', l.key,
           'startedAt', l.started_at, 'waitsFor', l.waits_for) order by l.started_at)
         from mattock.load l join mattock.run r on r.id = l.run_id where l.worker = w.id and l.state = 'running'), '[]') as loads
     from mattock.worker w where w.beat_at > clock_timestamp() - interval '10 minutes' order by w.host, w.id`,
    [engine.limits.silence / 1000],
  )
  return rows
}

/** Lets a worker take nothing more, or take again; what it works on comes to its end. @throws FaultError where it is gone */
export async function drainWorker(engine: Engine, id: number, drain: boolean): Promise<void> {
  const { rowCount } = await engine.db.$client.query(
    `update mattock.worker set draining = $2 where id = $1 and beat_at > clock_timestamp() - interval '10 minutes'`,
    [id, drain],
  )
  if (!rowCount) fail('unknown-name', `there is no worker ${id} any more`)
  await engine.db.$client.query('select mattock.call_workers()')
}
