import { EventEmitter } from 'node:events'
import { expect, it } from 'vitest'
import type { Asker } from '../engine/planner/asks'
import { plannerOf } from './planner'

/** Asks, and then leaves the page: what of it the planner is told. */
function left(kind: 'saveJob' | 'bringInJobs' | 'startTry' | 'makePlan' | 'readText'): boolean {
  const response = new EventEmitter()
  let asker: Asker | undefined
  const ask = (given: Asker) => {
    asker = given
    return new Promise(() => {})
  }
  void plannerOf(
    { account: { id: 7 }, options: { planner: { ask, close: () => {} } }, response } as never,
    kind,
    ...([] as never),
  )
  expect(asker!.person).toBe('7')
  response.emit('close')
  return asker!.signal?.aborted ?? false
}

it.each(['saveJob', 'bringInJobs', 'startTry'] as const)('%s comes to its end though its page is left', (kind) => {
  expect(left(kind)).toBe(false)
}) // prettier-ignore

it.each(['makePlan', 'readText'] as const)('%s is let go of when its page is left', (kind) => {
  expect(left(kind)).toBe(true)
})
