import { spawn, type ChildProcess } from 'node:child_process'
import { tell } from '../engine/context/tell'

/** How a process is kept going. */
export interface KeepOptions {
  readonly program: string
  readonly args: readonly string[]
  readonly env: NodeJS.ProcessEnv
  readonly cwd?: string
  readonly execArgv?: readonly string[]
  /** Milliseconds of silence after its first beat at which it is held dead and ended. */
  readonly silence?: number
  readonly onMessage?: (message: unknown) => void
}

export interface Kept {
  readonly name: string
  send(message: object): void
  /** Asks it to end, and ends it where it has not within so many milliseconds. */
  end(within: number): Promise<void>
}

/** What a kept process says while it goes on. */
export const beatMessage = { beat: true } as const

const firstPause = 500
const longestPause = 5000
/** Milliseconds after which a process that ended is held to have worked: the pauses begin anew. */
const workedFor = 60_000

/**
 * Keeps a process going: started again after it ended, after pauses that grow where it ends soon each time; ended where
 * it says nothing for too long. It ends when this one does: its channel breaks.
 */
export function keep(name: string, options: KeepOptions): Kept {
  let child: ChildProcess | undefined
  let pause = firstPause
  let ending = false
  let again: NodeJS.Timeout | undefined
  const launch = () => {
    const begun = performance.now()
    let last: number | undefined
    const made = spawn(process.execPath, [...(options.execArgv ?? []), options.program, ...options.args], {
      env: options.env,
      cwd: options.cwd,
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    })
    child = made
    made.on('message', (message) => {
      last = performance.now()
      options.onMessage?.(message)
    })
    const { silence } = options
    const watch =
      silence &&
      setInterval(() => {
        if (last === undefined || performance.now() - last < silence) return
        tell(`${name} says nothing for ${Math.round(silence / 1000)} s; it is ended\n`)
        made.kill('SIGKILL')
      }, 1000)
    made.on('error', (error) => tell(`${name}: ${error.message}\n`))
    made.on('exit', (code, signal) => {
      if (watch) clearInterval(watch)
      if (child === made) child = undefined
      if (ending) return
      if (performance.now() - begun > workedFor) pause = firstPause
      tell(`${name} ended (${signal ?? code}); started again in ${pause / 1000} s\n`)
      again = setTimeout(launch, pause)
      pause = Math.min(longestPause, pause * 2)
    })
  }
  launch()
  return {
    name,
    send: (message) => {
      if (child?.connected) child.send(message, () => {})
    },
    end: async (within) => {
      ending = true
      clearTimeout(again)
      if (child) await endChild(child, within)
    },
  }
}

/** Asks a process to end, and ends it where it has not within so many milliseconds. */
export async function endChild(child: ChildProcess, within: number): Promise<void> {
  if (child.exitCode !== null || child.signalCode !== null) return
  const ended = new Promise<void>((resolve) => child.once('exit', () => resolve()))
  child.kill('SIGTERM')
  // one that stands still hears nothing
  child.kill('SIGCONT')
  const timer = setTimeout(() => child.kill('SIGKILL'), within)
  await ended
  clearTimeout(timer)
}

/** In a kept process: says again and again that it goes on, and ends with the one that keeps it. */
export function sayWeGoOn(onParentGone: () => void): void {
  if (!process.send) return
  const beat = setInterval(() => process.send?.(beatMessage, () => {}), 2000)
  beat.unref()
  process.send(beatMessage, () => {})
  process.on('disconnect', () => {
    clearInterval(beat)
    onParentGone()
  })
}
