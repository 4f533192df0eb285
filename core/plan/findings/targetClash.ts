import { groupBy } from '../../group'
import { doubles, replaces } from '../../job/steps/transfer'
import { sourceKey, type Facts } from '../types'
import { transfersOf, type ResolvedTransfer } from '../view'
import { some } from '../../text/someOf'
import type { Rule } from './rule'

/**
 * `target-clash`: loads that undo each other's work. Replacing the whole table clashes with any other load of it,
 * replacing a slice with another load of the same slice; appending or upserting clashes where the same source goes
 * into the same target twice, or where the sources' columns differ.
 */
export const targetClash: Rule = (expansion, facts, findings) => {
  const byTarget = groupBy(transfersOf(expansion), ({ connection, target }) =>
    connection && target
      ? `${connection}
${target}`
      : undefined,
  )
  for (const group of byTarget.values()) {
    if (group.length < 2) continue
    const { target, step } = group[0]!
    const where = {
      part: group[0]!.load.part,
      step: step.id,
      path: group[0]!.spec.into.store === undefined ? 'transfer.into.table' : 'transfer.into.file',
    }
    const whole = group.some(({ spec }) => replaces(spec) === 'all')
    if (whole) {
      findings.add(
        'target-clash',
        'stop',
        `${group.length} loads write ${target}, and a load replaces all of it: ${some(group.map(({ load }) => load.key))}`,
        where,
        group.map(({ number }) => number),
      )
      continue
    }
    for (const same of sameKey(group, ({ load, spec }) =>
      replaces(spec) === 'slice' ? `${load.slice}` : undefined,
    )) {
      findings.add(
        'target-clash',
        'stop',
        `${same.length} loads replace the same slice of ${target}: ${some(same.map(({ load }) => load.key))}`,
        where,
        same.map(({ number }) => number),
      )
    }
    for (const same of sameKey(group, sourceOf)) {
      findings.add(
        'target-clash',
        doubles(same[0]!.spec) ? 'stop' : 'look',
        `${same.length} loads bring the same source into ${target}: ${some(same.map(({ load }) => load.key))}`,
        where,
        same.map(({ number }) => number),
      )
    }
    if (!columnsMatter(group, facts)) continue
    differingColumns(
      group,
      (transfer) => headerOf(transfer),
      (message, loads) => findings.add('target-clash', 'stop', message, where, loads),
    )
  }

  function headerOf({ fileKey }: ResolvedTransfer): readonly string[] | undefined {
    return fileKey === undefined ? undefined : facts.files.get(fileKey)?.find(({ header }) => header)?.header
  }
}

/** Where columns may come and go, or the table says which it has, files of other columns do not clash. */
const columnsMatter = (group: readonly ResolvedTransfer[], facts: Facts): boolean =>
  group.some(
    ({ spec, connection, target }) =>
      spec.into.missing_columns === 'fail' ||
      (spec.into.unknown_columns === 'fail' &&
        spec.from.dataset === undefined &&
        !facts.targets?.get(sourceKey(connection!, target!))?.length),
  )

const sourceOf = ({
  fileKey,
  sourceConnection,
  sourceTable,
  service,
  address,
  query,
}: ResolvedTransfer): string | undefined =>
  fileKey !== undefined
    ? fileKey
    : sourceConnection && sourceTable
      ? `${sourceConnection}\n${sourceTable}`
      : service && address
        ? `${service}\n${address}`
        : sourceConnection && query
          ? JSON.stringify([sourceConnection, query.text, query.values])
          : undefined

function sameKey(
  group: readonly ResolvedTransfer[],
  key: (transfer: ResolvedTransfer) => string | undefined,
): ResolvedTransfer[][] {
  return [...groupBy(group, key).values()].filter((list) => list.length > 1)
}

/** The columns that most sources of a target have are held to be right; the others clash with them. */
function differingColumns(
  group: readonly ResolvedTransfer[],
  header: (transfer: ResolvedTransfer) => readonly string[] | undefined,
  report: (message: string, loads: number[]) => void,
): void {
  const byColumns = groupBy(group, (transfer) => {
    const columns = header(transfer)
    return columns?.length ? [...columns].sort().join(', ') : undefined
  })
  if (byColumns.size < 2) return
  const [[usual], ...others] = [...byColumns].sort((a, b) => b[1].length - a[1].length) as [
    [string, ResolvedTransfer[]],
    ...[string, ResolvedTransfer[]][],
  ]
  for (const [columns, loads] of others) {
    const target = loads[0]!.target
    report(
      `${some(loads.map(({ load }) => load.key))} ${loads.length === 1 ? 'writes' : 'write'} ${target}, whose columns differ: ${columns} where the others have ${usual}`,
      loads.map(({ number }) => number),
    )
  }
}
