import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { needsSchema } from '../core/connection/needs'
import { openEngine } from '../engine/context/engine'
import { openLog } from '../engine/context/logger'
import type { Planner } from '../engine/planner/asks'
import { planApart } from '../engine/planner/process'
import { startWorker } from '../engine/queue/worker'
import { endHard, endHardOnFaults, endWithParent } from './hard'
import { keep, sayWeGoOn } from './keep'
import { UsageError } from './usage'
import { versionOf } from './version'
import { dataFolder, running } from './state'

const program = fileURLToPath(new URL('./main.js', import.meta.url))

/** Milliseconds in which a worker's loads may end of themselves when it is asked to end; then others do them. */
export const workerEndsWithin = 4000
/** Milliseconds of silence at which a worker is held dead by whoever keeps it. */
export const workerSilence = 20_000
/** MB of JavaScript values that a worker may hold. */
export const workerHeap = 768

/** One worker process, kept going; ends on SIGTERM when its loads are done, or after some seconds. */
export async function worker(args: string[]): Promise<number> {
  const { values } = parseArgs({
    args,
    options: {
      data: { type: 'string' },
      capacity: { type: 'string', default: '3' },
      tags: { type: 'string', default: process.env.MATTOCK_TAGS ?? '' },
    },
  })
  const capacity = Number(values.capacity)
  if (!(Number.isInteger(capacity) && capacity >= 1 && capacity <= 16))
    throw new UsageError('--capacity takes a number from 1 to 16')
  const tags = values.tags
    .split(',')
    .map((tag) => tag.trim())
    .filter(Boolean)
  if (!needsSchema.safeParse(tags).success)
    throw new UsageError('--tags takes names with commas between: lower-case letters, digits, - and _')
  const data = dataFolder(values.data)
  const url = process.env.DATABASE_URL ?? running(data)?.databaseUrl
  if (!url) throw new UsageError(`no Mattock runs over ${data}, and DATABASE_URL is not set`)
  if (!process.send) return await keepOne(args, url)
  await work(url, data, capacity, tags)
  return 0
}

/** The one that was started by hand keeps another going that works. */
async function keepOne(args: readonly string[], url: string): Promise<number> {
  const kept = keep('the worker', {
    program,
    args: ['worker', ...args],
    // the thread pool's size must stand before Node starts
    env: { ...process.env, DATABASE_URL: url, UV_THREADPOOL_SIZE: '64' },
    execArgv: [`--max-old-space-size=${workerHeap}`],
    silence: workerSilence,
  })
  await new Promise<void>((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, resolve)
  })
  await kept.end(workerEndsWithin + 2500)
  return 0
}

async function work(url: string, data: string, capacity: number, tags: readonly string[]): Promise<void> {
  endHardOnFaults()
  endWithParent()
  const ended = new Promise<void>((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, resolve)
    sayWeGoOn(resolve)
  })
  const engine = await openEngine(url, data, capacity * 2 + 4, openLog('worker'))
  // a plan of many loads would keep the heart from beating
  Object.assign(process.env, { DATABASE_URL: url, MATTOCK_DATA: data })
  let planner: Planner | undefined
  engine.planApart = (person, ask) => {
    planner ??= planApart({ entry: program, processes: 1, log: (message) => engine.log.warn(message) })
    return planner.ask({ person, patient: true }, 'makePlan', ask)
  }
  const working = await startWorker(engine, capacity, {
    version: versionOf(),
    tags,
    apart: { program, env: process.env },
    endHard,
  })
  await ended
  // a database that is away holds nobody up: others take over what fell silent
  setTimeout(() => endHard('its loads did not end in time'), workerEndsWithin + 1500)
  await working.stop(workerEndsWithin)
  // threads may still stand in a pipe that nobody reads
  endHard()
}
