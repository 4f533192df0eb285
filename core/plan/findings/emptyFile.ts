import { expectedFiles, placeId, type FilePlace } from './expectedFiles'
import { number, some } from '../../text/someOf'
import { loadGroups, type Rule } from './rule'

/** `empty-file`: files of 0 bytes. */
export const emptyFile: Rule = (expansion, facts, findings) => {
  const empty = loadGroups<{ where: FilePlace; paths: string[] }>()
  for (const { transfer, found, where } of expectedFiles(expansion, facts)) {
    const paths = found
      .filter(({ size, outside }) => size === 0 && outside === undefined)
      .map(({ path }) => path)
    if (paths.length > 0) empty.add(placeId(where), transfer, () => ({ where, paths }))
  }
  for (const { about, numbers, keys } of empty.list())
    findings.add(
      'empty-file',
      'look',
      keys.length === 1
        ? `${keys[0]}: ${some(about.paths)} is empty (0 bytes)`
        : `${number(keys.length)} loads have files that are empty (0 bytes): ${some(keys)}`,
      about.where,
      numbers,
    )
}
