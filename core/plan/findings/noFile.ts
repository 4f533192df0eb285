import { expectedFiles, placeId, type FilePlace } from './expectedFiles'
import { number, some } from '../../text/someOf'
import { loadGroups, type Rule } from './rule'

/** `no-file`: loads whose file is not there. */
export const noFile: Rule = (expansion, facts, findings) => {
  const missing = loadGroups<{ where: FilePlace; skip: boolean }>()
  for (const { transfer, found, where } of expectedFiles(expansion, facts))
    if (found.length === 0)
      missing.add(placeId(where), transfer, () => ({ where, skip: transfer.spec.from.missing === 'skip' }))
  for (const { about, numbers, keys } of missing.list()) {
    const what = about.skip ? 'skipped' : 'failed'
    const text =
      keys.length === 1
        ? `${keys[0]}: no file matches. Its load will be ${what}`
        : `${number(keys.length)} loads find no file and will be ${what}: ${some(keys)}`
    findings.add('no-file', 'look', text, about.where, numbers)
  }
}
