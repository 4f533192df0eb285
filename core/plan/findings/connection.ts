import { connectorOf } from '../../connection/connection'
import { didYouMean } from '../../expression/nearest'
import type { Gatherer } from '../gather'
import { sourceKey, type Expansion, type Facts } from '../types'
import { connectionUses, loadsUsing, transfersOf, type ResolvedTransfer } from '../view'
import { loadGroups, type Rule } from './rule'

/** `connection`: one that is not there, has no settings in this environment, is of another kind, lacks a right, or is reached by no worker. */
export const connection: Rule = (expansion, facts, findings) => {
  const environment = expansion.request.environment.name
  for (const use of connectionUses(expansion)) {
    const { name, step, path } = use
    const fact = Object.hasOwn(facts.connections, name) ? facts.connections[name] : undefined
    const where = { step, path, connection: name }
    if (!fact) {
      findings.add(
        'connection',
        'stop',
        name === ''
          ? 'the name of a connection is empty'
          : `there is no connection "${name}"${didYouMean(name, Object.keys(facts.connections))}`,
        where,
        loadsUsing(expansion, use),
      )
      continue
    }
    if (!fact.configured) {
      findings.add(
        'connection',
        'stop',
        `${name} has no settings in ${environment}`,
        where,
        loadsUsing(expansion, use),
        {
          label: 'Give it settings',
          open: 'connection',
          name,
        },
      )
    } else if (fact.kind !== use.wants) {
      findings.add(
        'connection',
        'stop',
        `${name} is ${connectorOf(fact.kind).words}; ${path} needs ${connectorOf(use.wants).words}`,
        where,
        loadsUsing(expansion, use),
      )
    } else if (fact.unreached) {
      findings.add(
        'connection',
        'look',
        `no worker that is there reaches ${name}, which needs ${fact.unreached.join(' and ')}; its loads will wait for one`,
        where,
        loadsUsing(expansion, use),
      )
    }
  }
  tellRights(expansion, facts, findings)
}

/** Tables that the connection's user may not read, or not write. */
function tellRights(expansion: Expansion, facts: Facts, findings: Gatherer): void {
  const lacking = loadGroups<{ user: string; what: string; path: string; step: string; connection: string; table: string }>() // prettier-ignore
  const look = (transfer: ResolvedTransfer, side: 'from' | 'into') => {
    const name = side === 'from' ? transfer.sourceConnection : transfer.connection
    const table = side === 'from' ? transfer.sourceTable : transfer.target
    if (name === undefined || table === undefined) return
    if (side === 'into' && transfer.spec.into.store !== undefined) return
    const fact = facts.tables.get(sourceKey(name, table))
    if (!fact || (side === 'from' ? fact.mayRead || !fact.exists : fact.mayWrite)) return
    const what = side === 'from' ? 'read' : fact.exists ? 'write' : 'make'
    const { step } = transfer
    lacking.add([name, table, what, step.id].join('\n'), transfer, () => ({
      user: fact.user,
      what,
      path: `transfer.${side}.table`,
      step: step.id,
      connection: name,
      table,
    }))
  }
  for (const transfer of transfersOf(expansion)) {
    look(transfer, 'from')
    look(transfer, 'into')
  }
  for (const { about, numbers } of lacking.list()) {
    const { user, what, path, step, connection: name, table } = about
    findings.add(
      'connection',
      'stop',
      `${name}: its user ${user} may not ${what} ${table}`,
      { step, path, connection: name },
      numbers,
      { label: 'Open the connection', open: 'connection', name },
    )
  }
}
