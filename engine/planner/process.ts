import { fork, type ChildProcess } from 'node:child_process'
import { fail, FaultError, type Fault } from '../../core/fault'
import type { Engine } from '../context/engine'
import { DocumentError } from '../jobs/versions'
import { plannerAsks, type Planner } from './asks'

interface Asked {
  readonly id: number
  readonly kind: keyof typeof plannerAsks
  readonly given: readonly unknown[]
}

type Answered =
  | { readonly id: number; readonly result: unknown }
  | { readonly id: number; readonly fault: Fault }
  | { readonly id: number; readonly faults: readonly Fault[] }
  | { readonly id: number; readonly error: string }

/** MB of memory that a plan of some hundred thousand loads needs, and then some. */
const heap = 2048
/** MB for what is new: a plan makes much that stays, and each round through a small space copies it once more. */
const young = 64

/**
 * Plans in a process of its own, started again where it ended: a plan of 300,000 loads keeps a
 * core busy for seconds, and one too large for the memory ends nobody else.
 */
export function planApart(entry: string, log: (message: string) => void): Planner {
  let child: ChildProcess | undefined
  let next = 0
  const waiting = new Map<number, { resolve: (value: never) => void; reject: (error: Error) => void }>()
  const start = (): ChildProcess => {
    const made = fork(entry, ['planner'], {
      execArgv: [`--max-old-space-size=${heap}`, `--max-semi-space-size=${young}`, '--expose-gc'],
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    })
    made.on('message', (answer: Answered) => {
      const asked = waiting.get(answer.id)
      waiting.delete(answer.id)
      if (!asked) return
      if ('result' in answer) asked.resolve(answer.result as never)
      else asked.reject(errorOf(answer))
    })
    made.on('exit', (code, signal) => {
      if (child === made) child = undefined
      if (waiting.size > 0) log(`the planner ended (${signal ?? code})`)
      for (const { reject } of waiting.values())
        reject(
          new FaultError({
            code: 'planner',
            message:
              'the planner ended while planning, likely for want of memory; plan fewer slices, or some rows only',
            where: {},
          }),
        )
      waiting.clear()
    })
    return made
  }
  // it is there before it is asked: starting takes a second or two
  child = start()
  return {
    ask: (kind, ...given) =>
      new Promise((resolve, reject) => {
        child ??= start()
        const id = next++
        waiting.set(id, { resolve: resolve as never, reject })
        child.send({ id, kind, given } satisfies Asked)
      }),
    close: () => {
      const ended = child
      child = undefined
      // it may be busy for long, and what it has begun in the store goes back
      ended?.kill('SIGKILL')
    },
  }
}

function errorOf(answer: Exclude<Answered, { result: unknown }>): Error {
  if ('fault' in answer) return new FaultError(answer.fault)
  if ('faults' in answer) return new DocumentError(answer.faults)
  return new Error(answer.error)
}

/** Bytes of a heap that is worth a look for what can be let go. */
const large = 200 * 2 ** 20

/** What a large plan left behind goes at once: else the next one begins beside it, and two need twice the memory. */
function letGo(): void {
  if (process.memoryUsage().heapUsed > large) globalThis.gc?.()
}

/** The other end: answers what the parent asks, until it goes away. */
export async function servePlanner(engine: Engine): Promise<void> {
  if (!process.send) fail('request', 'the planner is started by the server')
  process.on('message', ({ id, kind, given }: Asked) => {
    const work = plannerAsks[kind] as (engine: Engine, ...rest: unknown[]) => Promise<unknown>
    work(engine, ...given).then(
      (result) => {
        process.send!({ id, result } satisfies Answered)
        letGo()
      },
      (error: Error) => {
        if (error instanceof FaultError) process.send!({ id, fault: error.fault } satisfies Answered)
        else if (error instanceof DocumentError)
          process.send!({ id, faults: error.faults } satisfies Answered)
        else {
          engine.log.error({ error, ask: kind }, 'the planner made a mistake')
          process.send!({ id, error: error.stack ?? error.message } satisfies Answered)
        }
      },
    )
  })
  await new Promise((resolve) => process.once('disconnect', resolve))
}
