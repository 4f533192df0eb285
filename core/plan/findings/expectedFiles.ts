import type { Expansion, Facts, FileFact } from '../types'
import { transfersOf, type ResolvedTransfer } from '../view'

interface Expected {
  readonly transfer: ResolvedTransfer
  readonly pattern: string
  readonly found: readonly FileFact[]
  readonly where: FilePlace
}

const known = new WeakMap<Facts, { readonly loads: Expansion['loads']; readonly list: readonly Expected[] }>()

/** The transfers that read files, each with the files that were found for it; worked out once for all who ask. */
export function expectedFiles(expansion: Expansion, facts: Facts): readonly Expected[] {
  const before = known.get(facts)
  if (before?.loads === expansion.loads) return before.list
  const list: Expected[] = []
  const places = new Map<string, FilePlace>()
  for (const transfer of transfersOf(expansion)) {
    const { files, fileKey, load, step } = transfer
    const found = fileKey === undefined ? undefined : facts.files.get(fileKey)
    if (!found) continue
    let where = places.get(step.id)
    if (!where) places.set(step.id, (where = { part: load.part, step: step.id, path: 'transfer.from.files' }))
    list.push({ transfer, pattern: files!.text, found, where })
  }
  known.set(facts, { loads: expansion.loads, list })
  return list
}

export interface FilePlace {
  readonly part: number
  readonly step: string
  readonly path: string
}

/** Groups what is found about files by the step that reads them. */
export const placeId = ({ part, step }: FilePlace): string => `${part}/${step}`
