import { expectedFiles, placeId, type FilePlace } from './expectedFiles'
import { number, some } from '../../text/someOf'
import { loadGroups, type Rule } from './rule'

/** `outside-store`: a file that a link leads to out of its store. The loads of other files are not concerned. */
export const outsideStore: Rule = (expansion, facts, findings) => {
  const outside = loadGroups<{ where: FilePlace; message: string }>()
  for (const { transfer, found, where } of expectedFiles(expansion, facts)) {
    const message = found.find((file) => file.outside)?.outside
    if (message !== undefined) outside.add(placeId(where), transfer, () => ({ where, message }))
  }
  for (const { about, numbers, keys } of outside.list()) {
    const text =
      keys.length === 1
        ? `${keys[0]}: ${about.message}`
        : `the files of ${number(keys.length)} loads lead out of their store: ${some(keys)}`
    findings.add('outside-store', 'stop', text, about.where, numbers)
  }
}
