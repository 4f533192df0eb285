import type { ChildProcess } from 'node:child_process'

const isGone = (child: ChildProcess) => child.exitCode !== null || child.signalCode !== null

/** Sends a process a signal and waits until it is gone. One that hears none ends hard after 20 s. */
export async function end(child: ChildProcess, signal: 'SIGTERM' | 'SIGKILL' = 'SIGTERM'): Promise<void> {
  if (isGone(child)) return
  const gone = new Promise((resolve) => child.once('exit', resolve))
  child.kill(signal)
  const hard = setTimeout(() => child.kill('SIGKILL'), 20_000)
  await gone
  clearTimeout(hard)
}
