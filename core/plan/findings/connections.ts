import { kindWords, type ConnectionKind } from '../../connection'
import { nearestName } from '../../expression/nearest'
import { connectionsOf } from '../view'
import type { Rule } from './rule'

const wantedKind = (path: string): ConnectionKind =>
  path.endsWith('.store') ? 'files' : path.endsWith('.service') ? 'service' : 'postgres'

/** `connection`: a connection that is not there, has no settings in this environment, or is of another kind. `over-cap`. */
export const connections: Rule = (expansion, facts, findings) => {
  const environment = expansion.request.environment.name
  const uses = new Map<string, { name: string; step: string; path: string; numbers: number[] }>()
  for (const { number, step, path, name } of connectionsOf(expansion)) {
    const id = [name, step, path].join('\n')
    const use = uses.get(id)
    if (use) use.numbers.push(number)
    else uses.set(id, { name, step, path, numbers: [number] })
  }
  const capped = new Set<string>()
  for (const { name, step, path, numbers } of uses.values()) {
    const fact = Object.hasOwn(facts.connections, name) ? facts.connections[name] : undefined
    const where = { step, path, connection: name }
    if (!fact) {
      const near = nearestName(name, Object.keys(facts.connections))
      findings.add(
        'connection',
        'stop',
        name === ''
          ? 'the name of a connection is empty'
          : `there is no connection "${name}"${near ? `; did you mean ${near}?` : ''}`,
        where,
        numbers,
      )
      continue
    }
    if (!fact.configured) {
      findings.add('connection', 'stop', `${name} has no settings in ${environment}`, where, numbers, {
        label: 'Give it settings',
        open: 'connection',
        name,
      })
    } else if (fact.kind !== wantedKind(path)) {
      findings.add(
        'connection',
        'stop',
        `${name} is ${kindWords[fact.kind]}; ${path} needs ${kindWords[wantedKind(path)]}`,
        where,
        numbers,
      )
    }
    const atOnce = Math.max(
      ...[...new Set(numbers.map((number) => expansion.loads[number]!.part))].map(
        (part) => expansion.parts[part]!.atOnce,
      ),
    )
    if (fact.cap !== null && atOnce > fact.cap && !capped.has(name)) {
      capped.add(name)
      findings.add(
        'over-cap',
        'look',
        `${atOnce} loads at once are asked for, ${name} allows ${fact.cap}; the others will wait`,
        where,
      )
    }
  }
}
