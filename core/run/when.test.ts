import { describe, expect, it } from 'vitest'
import { verdictOf, type Before } from './when'

const before: Record<string, Before> = {
  running: { state: 'running', passed: false },
  held: { state: 'held', passed: false },
  done: { state: 'done', passed: false },
  failed: { state: 'failed', passed: false },
  stopped: { state: 'stopped', passed: false },
  /** Its own condition did not hold. */
  passed: { state: 'skipped', passed: true },
  /** Something before it failed. */
  skipped: { state: 'skipped', passed: false },
}

describe('whether one begins', () => {
  it.each([
    ['done', [], 'begin'],
    ['failed', [], 'pass'],
    ['ended', [], 'begin'],
    ['done', ['done', 'running'], 'wait'],
    ['failed', ['failed', 'running'], 'wait'],
    ['ended', ['held'], 'wait'],
    ['param.full', ['running'], 'wait'],
    ['param.full', ['failed'], 'ask'],
    ['done', ['done', 'done'], 'begin'],
    ['done', ['done', 'failed'], 'skip'],
    ['done', ['stopped'], 'skip'],
    ['done', ['skipped'], 'skip'],
    ['done', ['passed'], 'begin'],
    ['failed', ['done', 'passed'], 'pass'],
    ['failed', ['done', 'failed'], 'begin'],
    ['failed', ['skipped'], 'begin'],
    ['ended', ['failed', 'skipped', 'passed'], 'begin'],
  ] as const)('when %s, after %j: %s', (when, states, verdict) => {
    expect(verdictOf(when, states.map((state) => before[state]!))).toBe(verdict)
  }) // prettier-ignore
})
