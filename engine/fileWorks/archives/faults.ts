import { stepFault } from '../../context/step'
import { ownLimits, unpackedRefusal } from '../../formats/bounds'

export const unreadable = (path: string, why: string): never =>
  stepFault('archive', `${path} cannot be unpacked: ${why}`, 'look at the archive, or have it sent again')

/**
 * The name of an entry as a path below a folder.
 * @throws StepFault `archive` for one that leads elsewhere
 */
export function entryName(path: string, name: string): string {
  const parts = name.split('/').filter((part) => part !== '' && part !== '.')
  if (name.startsWith('/') || /^[A-Za-z]:|[\\\0]/.test(name) || parts.includes('..') || parts.length === 0)
    unreadable(path, `"${name}" in it would lie outside of the folder`)
  return parts.join('/')
}

/** Counts what comes out of an archive. @throws StepFault `archive` where it is more than is let through */
export function bounds(path: string, packed: number) {
  const most = ownLimits().entries
  let entries = 0
  let unpacked = 0
  return {
    entry() {
      if (++entries > most)
        unreadable(path, `it holds more than ${most.toLocaleString('en')} files; MATTOCK_ARCHIVE_ENTRIES sets the limit`) // prettier-ignore
    },
    bytes(count: number) {
      unpacked += count
      const refusal = unpackedRefusal(packed, unpacked)
      if (refusal !== undefined) unreadable(path, refusal)
    },
  }
}
