import { spawn } from 'node:child_process'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'
import { openEngine } from '../engine/context/engine'
import { openLog } from '../engine/context/logger'
import { startWorker } from '../engine/queue/worker'
import { UsageError } from './usage'
import { dataFolder, running } from './state'

/** One worker process; ends on SIGTERM when its loads are done. */
export async function worker(args: string[]): Promise<number> {
  const { values } = parseArgs({
    args,
    options: { data: { type: 'string' }, capacity: { type: 'string', default: '3' } },
  })
  const capacity = Number(values.capacity)
  if (!(Number.isInteger(capacity) && capacity >= 1 && capacity <= 16))
    throw new UsageError('--capacity takes a number from 1 to 16')
  if (Number(process.env.UV_THREADPOOL_SIZE ?? 4) < 64) return await again(args)
  const data = dataFolder(values.data)
  const url = process.env.DATABASE_URL ?? running(data)?.databaseUrl
  if (!url) throw new UsageError(`no Mattock runs over ${data}, and DATABASE_URL is not set`)
  const engine = await openEngine(url, data, capacity * 2 + 4, openLog('worker'))
  const working = await startWorker(engine, capacity)
  await new Promise<void>((resolve) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, resolve)
  })
  await working.stop()
  await engine.close()
  return 0
}

/** The thread pool's size must stand before Node starts. */
async function again(args: string[]): Promise<number> {
  const child = spawn(
    process.execPath,
    [fileURLToPath(new URL('./main.js', import.meta.url)), 'worker', ...args],
    { env: { ...process.env, UV_THREADPOOL_SIZE: '64' }, stdio: 'inherit' },
  )
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.on(signal, () => child.kill(signal))
  return await new Promise((resolve) => child.on('exit', (code) => resolve(code ?? 1)))
}
