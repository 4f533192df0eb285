import type { Place } from '../fault'
import type { Finding, FindingCode, Level, Mend } from './types'

/** Collects findings; the same finding of many loads becomes one that names them all. */
export function gatherer(job: string) {
  const made = new Map<string, Finding & { loads: number[] }>()
  const add = (
    code: FindingCode,
    level: Level,
    message: string,
    where: Place,
    loads: readonly number[] = [],
    mend?: Mend,
  ) => {
    const id = [code, message, where.part, where.step, where.path].join('\n')
    const known = made.get(id)
    if (known) {
      for (const load of loads) known.loads.push(load)
      return
    }
    made.set(id, {
      code,
      level,
      message,
      where: { job, ...where },
      loads: [...loads],
      ...(mend ? { mend } : {}),
    })
  }
  return {
    add,
    addForLoad: (code: FindingCode, level: Level, message: string, where: Place, load: number) =>
      add(code, level, message, where, [load]),
    list: (): Finding[] => [...made.values()],
  }
}

export type Gatherer = ReturnType<typeof gatherer>
