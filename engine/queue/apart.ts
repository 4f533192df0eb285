import { fork, type ChildProcess } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { setTimeout as sleep } from 'node:timers/promises'
import type { Engine } from '../context/engine'
import type { LoadEnd } from '../running/runLoad'
import type { Started } from '../running/started'
import { StepFault } from '../context/step'
import { failure } from '../running/effect'

/** How a process is begun that runs one load. */
export interface Apart {
  /** The program; it is given the word `apart`. */
  readonly program: string
  readonly env: NodeJS.ProcessEnv
}

/** What the process is told, and what it says. */
export type ToApart = { readonly started: Started } | { readonly stop: true }
export type FromApart = { readonly end: LoadEnd } | { readonly error: string } | { readonly beat: true }

/** Milliseconds before a process that did not begin is begun again; each time twice as long. */
const firstPause = 1000
const longestPause = 30_000

/**
 * Runs a load in a process of its own, with its memory watched: it ended workers before, and the loads beside it are not
 * to end with it. What the process was when it ended is what the load fails with. A process that does not even begin says
 * nothing of the load: it is begun again, for as long as the load may take.
 */
export async function runApart(
  engine: Engine,
  apart: Apart,
  started: Started,
  signal: AbortSignal,
): Promise<LoadEnd> {
  for (let pause = firstPause; ; pause = Math.min(longestPause, 2 * pause)) {
    const end = await runOnce(engine, apart, started, signal)
    if (!('notBegun' in end)) return end
    engine.log.warn({ run: started.run_id, load: Number(started.load_id) }, `the process for a load did not begin: ${end.notBegun}; begun again in ${pause / 1000} s`) // prettier-ignore
    await sleep(pause, undefined, { signal }).catch(() => {})
    if (signal.aborted) return await stoppedApart(engine, started, signal)
  }
}

async function runOnce(
  engine: Engine,
  { program, env }: Apart,
  started: Started,
  signal: AbortSignal,
): Promise<LoadEnd | { readonly notBegun: string }> {
  const child = fork(program, ['apart'], {
    env: {
      ...env,
      DATABASE_URL: engine.databaseUrl,
      MATTOCK_DATA: engine.dataFolder,
      UV_THREADPOOL_SIZE: '64',
    },
    execArgv: [`--max-old-space-size=${Math.ceil(engine.limits.memory / 2 ** 20)}`],
    stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
  })
  let most = 0
  let killedFor: string | undefined
  const begun = performance.now()
  const end = (why?: string) => {
    killedFor ??= why
    child.kill('SIGKILL')
  }
  let heard: number | undefined
  child.on('message', () => (heard = performance.now()))
  // as long as whoever keeps a worker waits for it
  const silence = Math.max(shortestSilence, (engine.limits.silence * 4) / 3)
  const watch = setInterval(() => {
    // one that has to begin on a busy machine does not stand still yet
    const allowed = heard === undefined ? 4 * silence : silence
    if (performance.now() - (heard ?? begun) > allowed)
      end(
        `it ${heard === undefined ? 'did not begin within' : 'stood still for'} ${Math.round(allowed / 1000)} s`,
      )
    most = Math.max(most, residentBytes(child.pid))
    if (most > engine.limits.memory) end(`it took more than ${megabytes(engine.limits.memory)} of memory`)
  }, 200)
  const onAbort = () => {
    child.send({ stop: true } satisfies ToApart, () => {})
    setTimeout(end, engine.limits.stopWithin).unref()
  }
  signal.addEventListener('abort', onAbort, { once: true })
  if (signal.aborted) onAbort()
  try {
    const said = await answerOf(child, started)
    if ('end' in said) return said.end
    if (signal.aborted) return await stoppedApart(engine, started, signal)
    const seconds = Math.round((performance.now() - begun) / 1000)
    if (heard === undefined)
      return { notBegun: killedFor ?? ('error' in said ? said.error : `it ended by ${said.ended}`) }
    const why = killedFor ?? ('error' in said ? said.error : `its process ended by ${said.ended}`)
    return await failure(
      engine,
      started,
      'worker-ended',
      `run in a process of its own, because it had ended ${started.deaths} workers, ${why} after ${seconds} s; the most memory seen was ${megabytes(most)}`,
      'part the load, look whether its file is what it should be, or set MATTOCK_MEMORY_MB higher',
    )
  } finally {
    clearInterval(watch)
    signal.removeEventListener('abort', onAbort)
    child.kill('SIGKILL')
  }
}

async function stoppedApart(engine: Engine, started: Started, signal: AbortSignal): Promise<LoadEnd> {
  const reason: unknown = signal.reason
  if (reason instanceof StepFault)
    return await failure(engine, started, reason.error.code, reason.error.message, reason.error.advice)
  const end = await failure(engine, started, 'stopped', 'stopped', 'rerun it')
  return { ...end, state: 'stopped', cause: null }
}

/** Milliseconds that it is given between two words. */
const shortestSilence = 8000

/** What the process says; how it ended, where it says nothing. */
function answerOf(
  child: ChildProcess,
  started: Started,
): Promise<Exclude<FromApart, { beat: true }> | { ended: string }> {
  return new Promise((resolve) => {
    child.on('message', (said: FromApart) => 'beat' in said || resolve(said))
    child.once('exit', (code, signal) => resolve({ ended: signal ? `signal ${signal}` : `code ${code}` }))
    child.once('error', (error) => resolve({ error: error.message }))
    child.send({ started } satisfies ToApart, () => {})
  })
}

const megabytes = (bytes: number): string => `${Math.round(bytes / 2 ** 20).toLocaleString('en')} MB`

/** Resident memory of a process, in bytes; 0 where it is gone or the system does not say. */
export function residentBytes(pid: number | undefined): number {
  try {
    return Number(/^VmRSS:\s+(\d+) kB/m.exec(readFileSync(`/proc/${pid}/status`, 'utf8'))?.[1] ?? 0) * 1024
  } catch {
    return 0
  }
}
