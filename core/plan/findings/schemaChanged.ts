import { changeText } from '../../catalog/compare'
import { shapeKey, sourceKey, type SourceColumn } from '../types'
import { transfersOf } from '../view'
import { some } from '../../text/someOf'
import { loadGroups, type Rule } from './rule'

/** Differences between two lists of columns; types count where both sides know them. */
function changeOf(before: readonly SourceColumn[], now: readonly SourceColumn[]): string {
  const known = new Map(before.map((column) => [column.name, column]))
  const found = new Map(now.map((column) => [column.name, column]))
  return changeText({
    added: now.filter(({ name }) => !known.has(name)),
    gone: before.filter(({ name }) => !found.has(name)),
    changed: before.flatMap(({ name, type }) => {
      const is = found.get(name)?.type
      return type !== undefined && is !== undefined && is !== type ? [{ name, from: type, to: is }] : []
    }),
  })
}

/** `schema-changed`: a load's source has other columns than when the same row was last loaded. One finding for each change. */
export const schemaChanged: Rule = (expansion, facts, findings) => {
  if (facts.shapes.size === 0) return
  const changes = loadGroups<{ step: string; part: number; change: string }>()
  for (const transfer of transfersOf(expansion)) {
    const { fileKey, sourceConnection, sourceTable, load, step } = transfer
    const row = load.row >= 0 ? expansion.parts[load.part]!.roster!.rows[load.row]!.key : load.key
    const before = facts.shapes.get(shapeKey(step.id, row))
    if (!before) continue
    const header =
      fileKey === undefined ? undefined : facts.files.get(fileKey)?.find((file) => file.header)?.header
    const now =
      header?.map((name) => ({ name })) ??
      (sourceConnection && sourceTable
        ? facts.sources.get(sourceKey(sourceConnection, sourceTable))
        : undefined)
    if (!now) continue
    const change = changeOf(before, now)
    if (change === '') continue
    const about = { step: step.id, part: load.part, change }
    changes.add([load.part, step.id, change].join('\n'), transfer, () => about)
  }
  for (const { about, numbers, keys } of changes.list())
    findings.add(
      'schema-changed',
      'look',
      `the source of ${some(keys)} has other columns than at its last load: ${about.change}`,
      { part: about.part, step: about.step, path: 'transfer.from' },
      numbers,
    )
}
