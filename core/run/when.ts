import type { RunState } from '../runState'

/** On which ends of those before it something begins; any other text is an expression. */
export const whenWords = ['done', 'failed', 'ended'] as const
export type WhenWord = (typeof whenWords)[number]

/** What became of one that others wait for. */
export interface Before {
  readonly state: RunState
  /** It was passed over since its own condition did not hold, and not for want of something before it. */
  readonly passed: boolean
}

export type Verdict = 'wait' | 'begin' | 'pass' | 'skip' | 'ask'

export const isWhenWord = (when: string): when is WhenWord => (whenWords as readonly string[]).includes(when)

const ends: ReadonlySet<RunState> = new Set(['done', 'failed', 'skipped', 'stopped'])
export const hasEnded = (state: RunState): boolean => ends.has(state)

const failed = ({ state }: Before): boolean => state === 'failed' || state === 'stopped'
/** It did not come to its turn, as something before it failed. */
const cutOff = ({ state, passed }: Before): boolean => state === 'skipped' && !passed

/**
 * May one begin, given those it waits for? `pass`: its condition does not hold, and what follows goes on; `skip`: something
 * before it failed, and what needs it is skipped, too; `ask`: its expression decides.
 */
export function verdictOf(when: string, before: readonly Before[]): Verdict {
  if (before.some(({ state }) => !hasEnded(state))) return 'wait'
  if (when === 'ended') return 'begin'
  if (when === 'failed') return before.some((one) => failed(one) || cutOff(one)) ? 'begin' : 'pass'
  if (when === 'done') return before.some((one) => failed(one) || cutOff(one)) ? 'skip' : 'begin'
  return 'ask'
}
