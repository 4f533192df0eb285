import type { Place } from '../fault'
import { number, some } from '../text/someOf'
import type { Finding, FindingCode, Level, Mend } from './types'

/** What stands in the way of one text of several loads: what is said, and the loads it is said of. */
interface OfLoads {
  readonly finding: Omit<Finding, 'message' | 'loads'>
  readonly said: Map<string, string[]>
  readonly loads: number[]
}

/** Collects findings; the same finding of many loads becomes one that names them all. */
export function gatherer(job: string) {
  const made = new Map<string, (Finding & { loads: number[] }) | OfLoads>()
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
  /** What is wrong in one place for a load: one finding for all loads, whatever their values make of the words. */
  const addForLoad = (
    code: FindingCode,
    level: Level,
    message: string,
    where: Place,
    load: { readonly number: number; readonly key: string },
  ) => {
    const id = ['of loads', code, where.part, where.step, where.path].join('\n')
    let known = made.get(id)
    if (!known || 'message' in known)
      made.set(
        id,
        (known = { finding: { code, level, where: { job, ...where } }, said: new Map(), loads: [] }),
      )
    known.loads.push(load.number)
    const keys = known.said.get(message)
    if (keys) keys.push(load.key)
    else known.said.set(message, [load.key])
  }
  return {
    add,
    addForLoad,
    list: (): Finding[] =>
      Array.from(made.values(), (one) =>
        'message' in one
          ? one
          : { ...one.finding, message: wordsOf(one.said), loads: [...new Set(one.loads)] },
      ),
  }
}

/** `b, c: what is wrong`, with one other wording beside it, and how many more there are. */
function wordsOf(said: ReadonlyMap<string, readonly string[]>): string {
  const [first, second, ...others] = [...said].map(([message, keys]) => `${some(keys)}: ${message}`)
  if (second === undefined) return first!
  if (others.length === 0) return `${first}; ${second}`
  return `${first}; ${second}; and so for ${number(others.length)} other ${others.length === 1 ? 'value' : 'values'}`
}

/** More findings of one kind in one place than this are said as one. */
const mostAlike = 3

/**
 * Findings of one kind in one place, such as a hundred tables that are not there, as one that names the loads of all:
 * a list of findings is read by a person.
 */
export function alikeAsOne(findings: readonly Finding[]): Finding[] {
  const groups = new Map<string, Finding[]>()
  for (const finding of findings) {
    const { code, level, where } = finding
    const id = [code, level, where.part, where.step, where.path].join('\n')
    const group = groups.get(id)
    if (group) group.push(finding)
    else groups.set(id, [finding])
  }
  return [...groups.values()].flatMap((group) => {
    const [first] = group
    if (!first || group.length <= mostAlike || group.some(({ loads }) => loads.length === 0)) return group
    const loads = [...new Set(group.flatMap((finding) => finding.loads))].sort((a, b) => a - b)
    const message = `${first.message}; and ${number(group.length - 1)} more like it, of ${number(loads.length)} loads in all`
    const { mend: _, ...rest } = first
    return [{ ...rest, message, loads }]
  })
}

export type Gatherer = ReturnType<typeof gatherer>
