import { expectedFiles, placeId, type FilePlace } from './expectedFiles'
import { number, some } from '../../text/someOf'
import { loadGroups, type Rule } from './rule'

/** `many-files`: several files match where a load reads its file. */
export const manyFiles: Rule = (expansion, facts, findings) => {
  const many = loadGroups<{ where: FilePlace; pattern: string; paths: readonly string[] }>()
  for (const { transfer, pattern, found, where } of expectedFiles(expansion, facts))
    if (found.length > 1)
      many.add(placeId(where), transfer, () => ({ where, pattern, paths: found.map(({ path }) => path) }))
  for (const { about, numbers, keys } of many.list()) {
    const { pattern, paths, where } = about
    const together = 'they are loaded together, in the order of their names'
    findings.add(
      'many-files',
      'look',
      keys.length === 1
        ? `${keys[0]}: ${paths.length} files match ${pattern}: ${some(paths)}; ${together}`
        : `${number(keys.length)} loads find more than one file (${keys[0]}: ${some(paths)}); ${together}`,
      where,
      numbers,
    )
  }
}
