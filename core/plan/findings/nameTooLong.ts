import { cutName, mostBytes, nameBytes } from '../../text/nameLength'
import { transfersOf } from '../view'
import type { Rule } from './rule'

/** `name-too-long`: a name that Postgres would cut, and two names that become the same when cut. */
export const nameTooLong: Rule = (expansion, _facts, findings) => {
  const targets = new Map<string, { numbers: number[]; part: number; step: string }>()
  for (const { target, number, load, step, spec } of transfersOf(expansion)) {
    if (target === undefined || spec.into.store !== undefined) continue
    const known = targets.get(target)
    if (known) known.numbers.push(number)
    else targets.set(target, { numbers: [number], part: load.part, step: step.id })
  }
  const byShort = new Map<string, string[]>()
  for (const [target, { numbers, part, step }] of targets) {
    const dot = target.indexOf('.')
    const names = [target.slice(0, dot), target.slice(dot + 1)]
    for (const name of names) {
      const bytes = nameBytes(name)
      if (bytes > mostBytes) {
        const where = { part, step, path: 'transfer.into.table' }
        const message = `"${name}" is ${bytes} bytes long; Postgres keeps ${mostBytes} and cuts the rest`
        findings.add('name-too-long', 'stop', message, where, numbers)
      }
    }
    const short = names.map(cutName).join('.')
    byShort.set(short, [...(byShort.get(short) ?? []), target])
  }
  for (const names of byShort.values()) {
    if (names.length < 2) continue
    const message = `${names.join(' and ')} become the same name when cut to ${mostBytes} bytes`
    const numbers = names.flatMap((name) => targets.get(name)!.numbers)
    findings.add('name-too-long', 'stop', message, { path: 'transfer.into.table' }, numbers)
  }
}
