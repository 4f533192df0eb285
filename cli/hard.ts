import { Worker } from 'node:worker_threads'
import { tell } from '../engine/context/tell'
import { removeTemporary } from '../engine/context/temporary'

/**
 * Ends this process at once. Not by `exit`, which waits for threads that stand in a pipe.
 */
export function endHard(why?: string): never {
  if (why !== undefined) tell(`mattock: ${why}; this process ends\n`)
  removeTemporary()
  process.kill(process.pid, 'SIGKILL')
  throw new Error('unreachable')
}

/** What nobody caught: the state of the process is not known any more, and others go on in its place. */
export function endHardOnFaults(): void {
  process.on('uncaughtException', (error) =>
    endHard(`a fault that nobody caught: ${error.stack ?? error.message}`),
  )
  process.on('unhandledRejection', (reason) => endHard(`a fault that nobody caught: ${(reason as Error)?.stack ?? String(reason)}`)) // prettier-ignore
}

/**
 * Ends this process soon after the one that began it is gone, also where it is busy and hears nothing: a thread of its
 * own looks.
 */
export function endWithParent(): void {
  const look = `const { ppid } = process
    setInterval(() => { if (process.ppid !== ppid) process.kill(process.pid, 'SIGKILL') }, 1000)`
  new Worker(look, { eval: true, execArgv: [], resourceLimits: { maxOldGenerationSizeMb: 8 } }).unref()
}
