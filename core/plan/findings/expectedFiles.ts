import { fileKey, type Expansion, type Facts, type FileFact } from '../types'
import { transfersOf, type ResolvedTransfer } from '../view'

/** The transfers that read files, each with the files that were found for it. */
export function* expectedFiles(
  expansion: Expansion,
  facts: Facts,
): Generator<{ transfer: ResolvedTransfer; pattern: string; found: readonly FileFact[]; where: FilePlace }> {
  for (const transfer of transfersOf(expansion)) {
    const { store, files, load, step } = transfer
    const found = store && files ? facts.files.get(fileKey(store, files.pattern)) : undefined
    if (found)
      yield {
        transfer,
        pattern: files!.text,
        found,
        where: { part: load.part, step: step.id, path: 'transfer.from.files' },
      }
  }
}

export interface FilePlace {
  readonly part: number
  readonly step: string
  readonly path: string
}

/** Groups what is found about files by the step that reads them. */
export const placeId = ({ part, step }: FilePlace): string => `${part}/${step}`
