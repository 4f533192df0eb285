import { changeText } from '../../schema/compare'
import { fileKey, shapeKey, sourceKey, type SourceColumn } from '../types'
import { transfersOf } from '../view'
import { some, type Rule } from './rule'

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
  const changes = new Map<
    string,
    { numbers: number[]; keys: string[]; step: string; part: number; change: string }
  >()
  for (const transfer of transfersOf(expansion)) {
    const { store, files, sourceConnection, sourceTable, load, number, step } = transfer
    const row = load.row >= 0 ? expansion.parts[load.part]!.roster!.rows[load.row]!.key : load.key
    const before = facts.shapes.get(shapeKey(step.id, row))
    if (!before) continue
    const header =
      store && files
        ? facts.files.get(fileKey(store, files.pattern))?.find((file) => file.header)?.header
        : undefined
    const now =
      header?.map((name) => ({ name })) ??
      (sourceConnection && sourceTable
        ? facts.sources.get(sourceKey(sourceConnection, sourceTable))
        : undefined)
    if (!now) continue
    const change = changeOf(before, now)
    if (change === '') continue
    const id = [load.part, step.id, change].join('\n')
    const known = changes.get(id) ?? { numbers: [], keys: [], step: step.id, part: load.part, change }
    known.numbers.push(number)
    known.keys.push(load.key)
    changes.set(id, known)
  }
  for (const { numbers, keys, step, part, change } of changes.values())
    findings.add(
      'schema-changed',
      'look',
      `the source of ${some(keys)} has other columns than at its last load: ${change}`,
      { part, step, path: 'transfer.from' },
      numbers,
    )
}
