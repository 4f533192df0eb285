import type { FileDeed } from '../../core/job/fileWorks'
import type { FilesAtWork } from './definition'

const words: Readonly<Record<FileDeed, string>> = {
  written: 'written',
  copied: 'copied',
  moved: 'moved',
  deleted: 'deleted',
  packed: 'packed',
  unpacked: 'unpacked',
  same: 'there already with the same content',
  left: 'left where they are',
}

/** Puts the records into the order of their paths, and says in the log how many were dealt with how; of those that stay, why. */
export function said({ context: { outcome } }: FilesAtWork): void {
  outcome.files.sort((a, b) => (a.path < b.path ? -1 : 1))
  for (const [did, what] of Object.entries(words)) {
    const files = outcome.files.filter((file) => file.did === did)
    if (files.length === 0) continue
    const bytes = files.reduce((sum, { size }) => sum + size, 0)
    outcome.log.push(
      `${files.length.toLocaleString('en')} ${files.length === 1 ? 'file' : 'files'} ${what}, ${bytes.toLocaleString('en')} bytes`,
    )
    const reasons = new Map<string, string[]>()
    for (const { why, path } of files)
      if (why !== undefined) reasons.set(why, [...(reasons.get(why) ?? []), path])
    for (const [why, paths] of reasons)
      outcome.log.push(`${why}: ${paths.slice(0, 5).join(', ')}${paths.length > 5 ? ` and ${(paths.length - 5).toLocaleString('en')} more` : ''}`) // prettier-ignore
  }
}
