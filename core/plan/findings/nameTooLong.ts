import { transfersOf } from '../view'
import type { Rule } from './rule'

const encoder = new TextEncoder()
/** Postgres cuts identifiers at NAMEDATALEN − 1 = 63 bytes (documentation, "Identifiers and Key Words"). */
const most = 63

const cut = (name: string): string => new TextDecoder().decode(encoder.encode(name).slice(0, most))

/** `name-too-long`: a name that Postgres would cut, and two names that become the same when cut. */
export const nameTooLong: Rule = (expansion, _facts, findings) => {
  const whole = new Map<string, Set<string>>()
  const numbers = new Map<string, number[]>()
  for (const transfer of transfersOf(expansion)) {
    const at = transfer.step.slots.findIndex(({ path }) => path === 'transfer.into.table')
    if (at < 0 || transfer.target === undefined) continue
    const name = transfer.target.slice(transfer.target.indexOf('.') + 1)
    const schema = transfer.target.slice(0, transfer.target.indexOf('.'))
    for (const part of [schema, name]) {
      const bytes = encoder.encode(part).length
      if (bytes > most) {
        findings.add(
          'name-too-long',
          'stop',
          `"${part}" is ${bytes} bytes long; Postgres keeps ${most} and cuts the rest`,
          { part: transfer.load.part, step: transfer.step.id, path: 'transfer.into.table' },
          [transfer.number],
        )
      }
    }
    const short = `${cut(schema)}.${cut(name)}`
    const list = whole.get(short) ?? new Set()
    list.add(transfer.target)
    whole.set(short, list)
    numbers.set(short, [...(numbers.get(short) ?? []), transfer.number].slice(0, 1000))
  }
  for (const [short, names] of whole) {
    if (names.size > 1) {
      findings.add(
        'name-too-long',
        'stop',
        `${[...names].join(' and ')} become the same name when cut to ${most} bytes`,
        { path: 'transfer.into.table' },
        numbers.get(short) ?? [],
      )
    }
  }
}
