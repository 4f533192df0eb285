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

/**
 * The setting for so many seconds of silence after which a process is held dead: more where this machine is busy, since
 * one that only has to wait for its turn is not dead.
 */
export const silence = (seconds: number): { MATTOCK_SILENCE_SECONDS: string } => ({
  MATTOCK_SILENCE_SECONDS: String(Math.ceil(seconds * pace())),
})
