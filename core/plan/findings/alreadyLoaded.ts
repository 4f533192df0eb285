import { loadedKey } from '../types'
import { expectedFiles } from './expectedFiles'
import type { Rule } from './rule'

/** `already-loaded`: every file of a load went into the same target before, unchanged since (size and time of change). */
export const alreadyLoaded: Rule = (expansion, facts, findings) => {
  const numbers: number[] = []
  const runs = new Set<number>()
  let first = ''
  for (const { transfer, found } of expectedFiles(expansion, facts)) {
    const { store, connection, target, number, load } = transfer
    if (found.length === 0) continue
    const known = found.map(({ path }) =>
      facts.loaded.get(loadedKey(store!, path, `${connection}/${target}`)),
    )
    const same = known.every(
      (entry, i) => entry?.size === found[i]!.size && entry.modified === found[i]!.modified,
    )
    if (!same) continue
    if (numbers.push(number) === 1) first = load.key
    for (const entry of known) runs.add(entry!.run)
  }
  if (numbers.length === 0) return
  const newest = Math.max(...runs)
  const by = runs.size === 1 ? `run ${newest}` : `${runs.size} runs, the newest ${newest}`
  findings.add(
    'already-loaded',
    'note',
    `${numbers.length === 1 ? `the file of ${first} was` : `the same files of ${numbers.length} loads were`} already loaded, by ${by}`,
    { path: 'transfer.from.files' },
    numbers,
  )
}
