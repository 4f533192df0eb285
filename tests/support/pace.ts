import { spawnSync } from 'node:child_process'

/** Milliseconds that an idle machine of the size we ask for takes to start Node and end it, with room. */
const usual = 150

/**
 * How many times as long as usual this machine takes now, at least 1: what is promised in seconds holds on a machine
 * that has them. The yardstick is the start of Node with nothing to do, the middle of three.
 */
export function pace(): number {
  const times = [1, 2, 3].map(() => {
    const begun = performance.now()
    spawnSync(process.execPath, ['-e', ''])
    return performance.now() - begun
  })
  return Math.max(1, times.sort((a, b) => a - b)[1]! / usual)
}
