import { readFileSync, rmSync } from 'node:fs'
import { join } from 'node:path'
import type { FaultPoint } from './faultPoints'

/** What a fault laid at a point does to the process that meets it. */
export const faultKinds = {
  /** It is gone at once, as by a power cut. */
  kill: () => void process.kill(process.pid, 'SIGKILL'),
  /** It stands still until somebody sends SIGCONT. */
  pause: () => void process.kill(process.pid, 'SIGSTOP'),
  /** What it was about to do throws. */
  cut: () => {
    throw new Error('a fault that was laid here on purpose')
  },
  /** It takes its time: milliseconds, as the fault's file says. */
  slow: (text: string) => new Promise<void>((resolve) => setTimeout(resolve, Number(text) || 1000)),
  /** It never ends. */
  hang: () => new Promise<void>(() => {}),
  /** It takes so many MB of memory, and holds them. */
  hog: async (text: string) => {
    const held = Array.from({ length: Number(text) }, () => Buffer.alloc(2 ** 20, 1))
    await new Promise((resolve) => setTimeout(resolve, 60_000))
    held.length = 0
  },
  /** As where the disk is full. */
  fill: () => {
    throw Object.assign(new Error('ENOSPC: no space left on device, write'), { code: 'ENOSPC' })
  },
} as const satisfies Record<string, (text: string) => void | Promise<void>>

export type FaultKind = keyof typeof faultKinds

/**
 * A fault is a file `<point>.<kind>` in the folder MATTOCK_FAULTS_IN names; a number behind it (`.2`) makes several of
 * them. Whoever meets it first takes it away, so that each happens once.
 */
export async function meet(name: FaultPoint): Promise<void> {
  const folder = process.env.MATTOCK_FAULTS_IN
  if (!folder) return
  for (const kind of Object.keys(faultKinds) as FaultKind[])
    for (const ending of ['', '.2', '.3', '.4', '.5']) {
      const file = join(folder, `${name}.${kind}${ending}`)
      let text: string
      try {
        text = readFileSync(file, 'utf8')
        rmSync(file)
      } catch {
        continue
      }
      await faultKinds[kind](text)
      return
    }
}
