import { fork, type ChildProcess } from 'node:child_process'
import { readFileSync } from 'node:fs'
import { fail, FaultError, type Fault } from '../../core/fault'
import type { Engine } from '../context/engine'
import { DocumentError } from '../jobs/versions'
import { lightAsks, plannerAsks, savingAsks, type Asker, type Planner } from './asks'

interface Asked {
  readonly id: number
  readonly kind: keyof typeof plannerAsks
  readonly given: readonly unknown[]
}

/** What a planner says first, once it can be asked. */
interface Ready {
  readonly ready: true
}

type Answered =
  | { readonly id: number; readonly result: unknown }
  | { readonly id: number; readonly fault: Fault }
  | { readonly id: number; readonly faults: readonly Fault[] }
  | { readonly id: number; readonly error: Pick<Error, 'message' | 'stack'> & { readonly code?: string } }

/** MB of memory that a plan of some hundred thousand loads needs, and then some. */
const heap = 2048
/** MB for what is new: a plan makes much that stays, and each round through a small space copies it once more. */
const young = 64

export interface PlannerOptions {
  readonly entry: string
  readonly log: (message: string) => void
  /** Processes: so many things are worked out at the same time; one of them is for what takes moments only. */
  readonly processes?: number
  /** Milliseconds of processor time that one thing may take; by the clock ten times as much, since much of that may be others'. */
  readonly within?: number
  /** The same for what takes moments. */
  readonly lightWithin?: number
  /** Milliseconds that one thing may wait for others' things. */
  readonly waits?: number
}

/** Milliseconds before another is begun in place of one that ended before it was ready; each time twice as long. */
const firstPause = 250
const longestPause = 5000
/** So many times its processor time may something take by the clock: it may wait for a database, or for the processor. */
const byTheClock = 10

/** Things of one person that may wait. */
const mostWaiting = 30
/** Milliseconds after which what nobody waits for any more is broken off; what takes less ends by itself. */
const letRun = 3000

interface Task {
  readonly asker: Asker
  readonly kind: keyof typeof plannerAsks
  readonly given: readonly unknown[]
  readonly resolve: (value: never) => void
  readonly reject: (error: Error) => void
  /** Ends the wait for a turn. */
  patience?: NodeJS.Timeout
  /** Its process ended under it, and it was begun again. */
  again?: true
}

const isLight = ({ kind }: Task): boolean => lightAsks.has(kind)
/** Of each person one thing at a time, and beside it one that takes moments. */
const laneOf = (task: Task): string => `${isLight(task) ? 'light' : 'heavy'} ${task.asker.person}`

interface Place {
  child: ChildProcess
  /** It said that it can be asked: one that ends before, as while the database is away, has nothing to lose. */
  ready: boolean
  task?: Task | undefined
}

/**
 * Plans in processes of their own, started again where they ended: a plan of 300,000 loads keeps a core busy for seconds,
 * one too large for the memory ends nobody else, and one that does not end is ended.
 */
export function planApart({
  entry,
  log,
  processes = 3,
  within = 120_000,
  lightWithin = 10_000,
  waits = 15_000,
}: PlannerOptions): Planner {
  let next = 0
  let closed = false
  const waiting: Task[] = []
  /** When each person was last given a turn: the one who waits longest is next. */
  const turns = new Map<string, number>()
  const places: Place[] = []
  let pause = firstPause
  /** One that is ready and has no place: it takes the next that is free, so that nobody waits for one to begin. */
  let spare: ChildProcess | undefined
  const begin = (): ChildProcess =>
    fork(entry, ['planner'], {
      execArgv: [`--max-old-space-size=${heap}`, `--max-semi-space-size=${young}`, '--expose-gc'],
      stdio: ['ignore', 'inherit', 'inherit', 'ipc'],
    })
  /** The next spare one, while it begins. */
  let coming: ChildProcess | undefined
  const keepSpare = () => {
    if (spare || coming || closed) return
    const child = begin()
    coming = child
    child.once('message', () => {
      coming = undefined
      // a place that waits for its own to begin is given this one
      const cold = places.find(({ ready }) => !ready)
      if (!cold) return void (spare = child)
      const slow = cold.child
      fill(cold, child)
      slow.kill('SIGKILL')
      keepSpare()
    })
    child.once('exit', () => {
      if (spare !== child && coming !== child) return
      spare = coming = undefined
      if (!closed) setTimeout(keepSpare, longestPause).unref()
    })
  }
  const open = (place: Place) => {
    if (spare) {
      const child = spare
      spare = undefined
      fill(place, child)
      keepSpare()
      return
    }
    const child = begin()
    place.child = child
    place.ready = false
    child.once('message', () => {
      if (place.child !== child) return
      place.ready = true
      pause = firstPause
      give()
      keepSpare()
    })
    watch(place, child)
  }
  /** Puts a process that is ready in a place. */
  const fill = (place: Place, child: ChildProcess) => {
    place.child = child
    place.ready = true
    watch(place, child)
    give()
  }
  const watch = (place: Place, child: ChildProcess) => {
    child.on('exit', (code, signal) => {
      if (place.child !== child || closed) return
      if (!place.ready) {
        log(`a planner ended (${signal ?? code}) before it could be asked; begun again in ${pause / 1000} s`)
        setTimeout(() => closed || open(place), pause)
        pause = Math.min(longestPause, pause * 2)
        return
      }
      const { task } = place
      place.task = undefined
      if (task) log(`a planner ended (${signal ?? code})`)
      // somebody may have ended it; what ends it twice does so by itself
      if (task && !task.again && !savingAsks.has(task.kind)) waiting.unshift(Object.assign(task, { again: true }))
      else task?.reject(fault('the planner ended while planning, likely for want of memory; plan fewer slices, or some rows only')) // prettier-ignore
      open(place)
      give()
    })
  }
  /** Ends what a place works on, whatever it is in the middle of. */
  const breakOff = (place: Place, reason: Error) => {
    const { child, task } = place
    place.task = undefined
    task?.reject(reason)
    open(place)
    child.kill('SIGKILL')
    give()
  }
  const turnOf = ({ asker: { person } }: Task) => turns.get(person) ?? 0
  const give = () => {
    for (const place of places) {
      if (place.task || !place.ready) continue
      const begun = places.flatMap(({ task }) => task ?? [])
      const busy = new Set(begun.map(laneOf))
      // what takes moments always finds a place that no plan holds for long
      const full = processes > 1 && begun.filter((task) => !isLight(task)).length >= processes - 1
      const [task] = waiting
        .filter((one) => !busy.has(laneOf(one)) && !(full && !isLight(one)))
        .sort((a, b) => turnOf(a) - turnOf(b))
      if (!task) return
      waiting.splice(waiting.indexOf(task), 1)
      clearTimeout(task.patience)
      turns.set(task.asker.person, next)
      work(place, task)
    }
  }
  const leave = (task: Task, reason: Error) => {
    const at = waiting.indexOf(task)
    if (at < 0) return
    waiting.splice(at, 1)
    clearTimeout(task.patience)
    task.reject(reason)
  }
  const work = (place: Place, task: Task) => {
    const { child } = place
    const id = next++
    const began = performance.now()
    place.task = task
    const { signal } = task.asker
    const light = isLight(task)
    const most = light ? lightWithin : within
    const used = processorTime(child.pid)
    const limit = setInterval(
      () => {
        const now = processorTime(child.pid)
        const busy = used === undefined || now === undefined ? performance.now() - began : now - used
        if (busy < most && performance.now() - began < byTheClock * most) return
        clearInterval(limit)
        breakOff(place, fault(`${light ? 'reading the text' : 'planning'} took longer than ${most / 1000} s and was stopped; ${light ? 'make the text shorter' : 'plan fewer slices or rows, and look at its expressions'}`)) // prettier-ignore
      },
      Math.min(250, most / 4),
    )
    let patience: NodeJS.Timeout | undefined
    const nobodyWaits = () => {
      patience = setTimeout(
        () => place.task === task && breakOff(place, fault('nobody waited for it any more')),
        Math.max(0, letRun - (performance.now() - began)),
      )
    }
    const over = () => {
      clearInterval(limit)
      clearTimeout(patience)
      signal?.removeEventListener('abort', nobodyWaits)
      child.off('message', onMessage)
      child.off('exit', over)
    }
    const onMessage = (answer: Answered) => {
      if (answer.id !== id) return
      over()
      place.task = undefined
      if ('result' in answer) task.resolve(answer.result as never)
      else task.reject(errorOf(answer))
      give()
    }
    child.on('message', onMessage)
    child.on('exit', over)
    signal?.addEventListener('abort', nobodyWaits, { once: true })
    child.send({ id, kind: task.kind, given: task.given } satisfies Asked, () => {})
  }
  // they are there before they are asked: starting takes a second or two
  for (let i = 0; i < processes; i++) {
    const place = {} as Place
    open(place)
    places.push(place)
  }
  return {
    ask: (asker, kind, ...given) =>
      new Promise((resolve, reject) => {
        if (waiting.filter((task) => task.asker.person === asker.person).length >= mostWaiting)
          return reject(busyFault('much of yours is being worked out already; wait a moment'))
        const task: Task = { asker, kind, given, resolve: resolve as never, reject }
        asker.signal?.addEventListener('abort', () => {
          leave(task, fault('nobody waited for it any more'))
        }, { once: true }) // prettier-ignore
        if (asker.patient) {
          waiting.push(task)
          give()
          return
        }
        // of their own things people see the end
        const others = () => places.some(({ task: other }) => other && other.asker.person !== task.asker.person) // prettier-ignore
        const look = () => {
          if (others()) return leave(task, busyFault(`the planner is working on other plans; this one did not get its turn within ${waits / 1000} s. Try again in a moment.`)) // prettier-ignore
          if (!places.some(({ ready }) => ready)) return leave(task, busyFault('The planner is restarting. Try again in a moment.')) // prettier-ignore
          task.patience = setTimeout(look, waits)
        }
        task.patience = setTimeout(look, waits)
        waiting.push(task)
        give()
      }),
    close: () => {
      closed = true
      // they may be busy for long, and what they have begun in the store goes back
      for (const child of [...places.map((place) => place.child), spare, coming]) child?.kill('SIGKILL')
      for (const { patience } of waiting) clearTimeout(patience)
    },
  }
}

/** Milliseconds of processor time that a process has used (proc(5)); undefined where the system does not say. */
function processorTime(pid: number | undefined): number | undefined {
  try {
    // the name of the program, in parentheses, may hold blanks
    const fields = readFileSync(`/proc/${pid}/stat`, 'utf8').split(') ')[1]!.split(' ')
    // fields 14 and 15, in ticks of 10 ms
    return (Number(fields[11]) + Number(fields[12])) * 10
  } catch {
    return undefined
  }
}

const busyFault = (message: string): FaultError => new FaultError({ code: 'busy', message, where: {} })
const fault = (message: string): FaultError => new FaultError({ code: 'planner', message, where: {} })

function errorOf(answer: Exclude<Answered, { result: unknown }>): Error {
  if ('fault' in answer) return new FaultError(answer.fault)
  if ('faults' in answer) return new DocumentError(answer.faults)
  // its code tells what the database said, such as that its disk is full
  const { message, stack, code } = answer.error
  return Object.assign(new Error(message), { stack }, code === undefined ? {} : { code })
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
  // whoever asked may be gone by then: an answer that nobody takes is no fault
  const answer = (answered: Answered | Ready) => void process.send!(answered, () => {})
  process.on('message', ({ id, kind, given }: Asked) => {
    const work = plannerAsks[kind] as (engine: Engine, ...rest: unknown[]) => Promise<unknown>
    work(engine, ...given).then(
      (result) => {
        answer({ id, result })
        letGo()
      },
      (error: Error) => {
        if (error instanceof FaultError) answer({ id, fault: error.fault })
        else if (error instanceof DocumentError) answer({ id, faults: error.faults })
        else {
          engine.log.error({ error, ask: kind }, 'the planner made a mistake')
          const cause = (error.cause instanceof Error && 'code' in error.cause ? error.cause : error) as Error & { code?: string } // prettier-ignore
          const { message, stack, code } = cause
          answer({
            id,
            error: { message, stack: stack ?? message, ...(code === undefined ? {} : { code }) },
          })
        }
      },
    )
  })
  answer({ ready: true })
  // it may have gone while this one began
  if (process.connected) await new Promise((resolve) => process.once('disconnect', resolve))
}
