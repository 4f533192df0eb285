import type { RunState } from '../runState'
import { hasEnded, verdictOf } from './when'

/**
 * The states of a run, of its parts and of its loads, and what changes them: the functions of the store
 * (database/migrations/0020_order.sql, 0024_controls.sql, 0027_called_runs.sql, 0032_proof.sql) do the same with rows, and a test plays both against each other.
 */
export interface Machine {
  readonly state: RunState
  /** It was asked to stop: nothing begins any more. */
  readonly stopping: boolean
  readonly parts: readonly MachinePart[]
}

export interface MachinePart {
  readonly waits: readonly number[]
  /** done, failed, ended, or an expression. */
  readonly when: string
  /** The run stops after it for a look. */
  readonly hold: boolean
  readonly atOnce: number
  readonly state: RunState | 'asking'
  /** Left out since its own condition did not hold. */
  readonly passed: boolean
  readonly loads: readonly MachineLoad[]
}

export interface MachineLoad {
  readonly state: RunState
  /** Lower goes before others of its part. */
  readonly rank: number
  /** A person let it go before its part began. */
  readonly letGo: boolean
}

/** From which states a load comes into which, and by what. Nothing else moves one. */
export const loadChanges = {
  'a worker takes it': { from: ['waiting'], to: ['running'] },
  'the run that it waited for has ended': { from: ['running'], to: ['waiting', 'stopped'] },
  'it ends': { from: ['running'], to: ['done', 'failed', 'skipped', 'stopped'] },
  'it stops for a look': { from: ['running'], to: ['held'] },
  'it goes on': { from: ['held'], to: ['waiting'] },
  'its worker is gone': { from: ['running'], to: ['waiting', 'stopped'] },
  'it is set aside, or its part is left out': { from: ['waiting', 'held'], to: ['skipped'] },
  'it failed, and is set aside': { from: ['failed'], to: ['skipped'] },
  'the condition of its part cannot be worked out': { from: ['waiting', 'held'], to: ['failed'] },
  'its run is stopped': { from: ['waiting', 'held'], to: ['stopped'] },
} as const satisfies Record<string, { readonly from: readonly RunState[]; readonly to: readonly RunState[] }>

/** A load by its part and its place in it. */
export type At = readonly [part: number, load: number]

export const fresh = (
  parts: readonly (Pick<MachinePart, 'waits' | 'when' | 'hold' | 'atOnce'> & { readonly loads: number })[],
): Machine =>
  advance({
    state: 'running',
    stopping: false,
    parts: parts.map(({ loads, ...part }) => ({
      ...part,
      state: 'waiting',
      passed: false,
      loads: Array.from({ length: loads }, () => ({ state: 'waiting', rank: 0, letGo: false }) as const),
    })),
  })

const withPart = (machine: Machine, part: number, change: (old: MachinePart) => MachinePart): Machine => ({
  ...machine,
  parts: machine.parts.map((old, i) => (i === part ? change(old) : old)),
})
const withLoads = (
  part: MachinePart,
  change: (load: MachineLoad, at: number) => MachineLoad,
): MachinePart => ({ ...part, loads: part.loads.map(change) })
const endAll = (part: MachinePart, state: RunState, from: readonly RunState[] = ['waiting', 'held']): MachinePart =>
  withLoads(part, (load) => (from.includes(load.state) ? { ...load, state } : load)) // prettier-ignore
const has = (part: MachinePart, ...states: RunState[]): boolean =>
  part.loads.some(({ state }) => states.includes(state))
const partEnded = ({ state }: MachinePart): boolean => state !== 'asking' && hasEnded(state)
const endOf = (part: MachinePart): RunState =>
  has(part, 'failed') ? 'failed' : has(part, 'stopped') ? 'stopped' : 'done'

/** Ends parts whose loads have ended, begins or leaves out those that waited for them, and ends the run. */
function advance(given: Machine): Machine {
  let machine = given
  if (!['running', 'held'].includes(machine.state)) return machine
  for (let moved = true; moved;) {
    moved = false
    for (const [at, part] of machine.parts.entries()) {
      if (part.state === 'running' && !has(part, 'waiting', 'running', 'held')) {
        const state = part.hold && !machine.stopping ? 'held' : endOf(part)
        machine = withPart(machine, at, (old) => ({ ...old, state }))
        moved = true
      }
    }
    if (machine.state !== 'running' || machine.stopping) continue
    for (const at of machine.parts.keys()) {
      const part = machine.parts[at]!
      if (part.state !== 'waiting') continue
      const before = part.waits.map((one) => machine.parts[one]!)
      if (!before.every(partEnded)) continue
      const verdict = verdictOf(part.when, before.map(({ state, passed }) => ({ state: state as RunState, passed }))) // prettier-ignore
      if (verdict === 'wait') continue
      moved = true
      machine = withPart(
        machine,
        at,
        (old) =>
          ({
            begin: { ...old, state: 'running' },
            ask: { ...old, state: 'asking' },
            pass: { ...endAll(old, 'skipped'), state: 'skipped', passed: true },
            skip: { ...endAll(old, 'skipped'), state: 'skipped', passed: false },
          })[verdict] as MachinePart,
      )
    }
  }
  const { parts, stopping } = machine
  if (!parts.every(partEnded) || parts.some((part) => has(part, 'waiting', 'running', 'held'))) return machine
  const failed = parts.some((part) => has(part, 'failed') || part.state === 'failed')
  return { ...machine, state: stopping ? 'stopped' : failed ? 'failed' : 'done' }
}

/** What can happen to a run; each gives the machine as it was where it does not apply. */
export const changes = {
  /** A worker with so many free places takes the first that may run, of the part that fills the least of its share first. */
  take: (given: Machine, places: number): Machine => {
    let machine = given
    if (machine.state !== 'running' || machine.stopping) return machine
    let left = places
    const running = (part: MachinePart) => part.loads.filter(({ state }) => state === 'running').length
    const order = machine.parts
      .map((part, at) => ({ at, part }))
      .sort((a, b) => running(a.part) / a.part.atOnce - running(b.part) / b.part.atOnce || a.at - b.at)
    for (const { at, part } of order) {
      const open = part.state === 'running'
      const may = part.loads
        .map((load, i) => ({ load, i }))
        .filter(({ load }) => load.state === 'waiting' && (open || load.letGo))
        .sort((a, b) => a.load.rank - b.load.rank || a.i - b.i)
        .slice(0, open ? Math.max(0, Math.min(part.atOnce - running(part), left)) : left)
        .map(({ i }) => i)
      left -= may.length
      machine = withPart(machine, at, (old) =>
        withLoads(old, (load, i) => (may.includes(i) ? { ...load, state: 'running' } : load)),
      )
    }
    return machine
  },
  finish: (machine: Machine, [part, at]: At, state: 'done' | 'failed' | 'skipped' | 'stopped' | 'held') =>
    advance(
      withPart(machine, part, (old) =>
        withLoads(old, (load, i) =>
          i === at && load.state === 'running'
            ? // nobody lets a run go on that is being stopped
              { ...load, state: state === 'held' && machine.stopping ? 'stopped' : state }
            : load,
        ),
      ),
    ),
  giveBack: (machine: Machine, [part, at]: At): Machine =>
    advance(
      withPart(machine, part, (old) =>
        withLoads(old, (load, i) =>
          i === at && load.state === 'running'
            ? { ...load, state: machine.stopping ? 'stopped' : 'waiting' }
            : load,
        ),
      ),
    ),
  decide: (machine: Machine, part: number, holds: boolean | 'fault'): Machine => {
    if (machine.parts[part]?.state !== 'asking') return machine
    return advance(
      withPart(machine, part, (old) =>
        holds === 'fault'
          ? { ...endAll(old, 'failed'), state: 'failed' }
          : holds
            ? { ...old, state: 'running' }
            : { ...endAll(old, 'skipped'), state: 'skipped', passed: true },
      ),
    )
  },
  stop: (machine: Machine): Machine => {
    if (!['running', 'held'].includes(machine.state)) return machine
    return advance({
      ...machine,
      stopping: true,
      parts: machine.parts
        .map((part) => endAll(part, 'stopped'))
        .map((part) => (['waiting', 'asking', 'held'].includes(part.state) ? { ...part, state: 'stopped' } : part)),
    }) // prettier-ignore
  },
  hold: (machine: Machine): Machine =>
    machine.state === 'running' && !machine.stopping ? { ...machine, state: 'held' } : machine,
  /** Lets the run go on, and all that holds in it. */
  goOn: (machine: Machine): Machine => {
    if (!['running', 'held'].includes(machine.state) || machine.stopping) return machine
    return advance({
      ...machine,
      state: 'running',
      parts: machine.parts
        .map((part) => (part.state === 'held' ? { ...part, state: endOf(part) } : part))
        .map((part) => withLoads(part, goesOn)),
    })
  },
  /** Lets one load go on that stopped for a look. */
  goOnOne: (machine: Machine, [part, at]: At): Machine =>
    ['running', 'held'].includes(machine.state) && !machine.stopping
      ? advance(withPart(machine, part, (old) => withLoads(old, (load, i) => (i === at ? goesOn(load) : load))))
      : machine, // prettier-ignore
  setAside: (machine: Machine, [part, at]: At): Machine =>
    ['running', 'held'].includes(machine.state) && !machine.stopping
      ? advance(
          withPart(machine, part, (old) =>
            withLoads(old, (load, i) =>
              i === at && maySetAside(old, load) ? { ...load, state: 'skipped' } : load,
            ),
          ),
        )
      : machine,
  letGo: (machine: Machine, [part, at]: At): Machine =>
    ['running', 'held'].includes(machine.state) &&
    !machine.stopping &&
    ['waiting', 'asking'].includes(machine.parts[part]!.state)
      ? withPart(machine, part, (old) =>
          withLoads(old, (load, i) =>
            i === at && load.state === 'waiting' && !load.letGo
              ? { ...load, letGo: true, rank: Math.min(load.rank, -1) }
              : load,
          ),
        )
      : machine,
  putFirst: (machine: Machine, [part, at]: At): Machine => {
    const waiting = machine.parts.flatMap(({ loads }) => loads.filter(({ state }) => state === 'waiting'))
    const rank = Math.min(0, ...waiting.map((load) => load.rank)) - 1
    return withPart(machine, part, (old) =>
      withLoads(old, (load, i) => (i === at && load.state === 'waiting' ? { ...load, rank } : load)),
    )
  },
}

/** Also one that failed, as long as its part goes on: what waits for the part need not be left out for it. */
const maySetAside = (part: MachinePart, { state }: MachineLoad): boolean =>
  state === 'waiting' || state === 'held' || (state === 'failed' && !partEnded(part))

const goesOn = (load: MachineLoad): MachineLoad =>
  load.state === 'held' ? { ...load, state: 'waiting', rank: Math.min(load.rank, -1) } : load
