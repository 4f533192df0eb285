import { fileKey, loadedKey } from '../types'
import { transfersOf } from '../view'
import { number, some, type Rule } from './rule'

/** `no-file`, `empty-file`, `many-files`, `already-loaded`: what is known of the file that a load expects. */
export const files: Rule = (expansion, facts, findings) => {
  const missing = new Map<
    string,
    { numbers: number[]; keys: string[]; where: { part: number; step: string; path: string }; skip: boolean }
  >()
  const loaded: { numbers: number[]; keys: string[]; runs: Set<number> } = {
    numbers: [],
    keys: [],
    runs: new Set(),
  }
  for (const transfer of transfersOf(expansion)) {
    const { store, files, load, number, step, spec, connection, target } = transfer
    if (!store || !files) continue
    const found = facts.files.get(fileKey(store, files.pattern))
    if (!found) continue
    const where = { part: load.part, step: step.id, path: 'transfer.from.files' }
    if (found.length === 0) {
      const id = `${load.part}/${step.id}`
      const group = missing.get(id) ?? { numbers: [], keys: [], where, skip: spec.from.missing === 'skip' }
      group.numbers.push(number)
      group.keys.push(load.key)
      missing.set(id, group)
    }
    if (found.length > 1) {
      findings.add(
        'many-files',
        'look',
        `${load.key}: ${found.length} files match ${files.text}: ${some(found.map(({ path }) => path))}; they are loaded together, in the order of their names`,
        where,
        [number],
      )
    }
    for (const file of found) {
      if (file.size === 0)
        findings.add('empty-file', 'look', `${load.key}: ${file.path} is empty (0 bytes)`, where, [number])
    }
    const known = found.map((file) =>
      facts.loaded.get(loadedKey(store, file.path, `${connection}/${target}`)),
    )
    if (
      found.length > 0 &&
      known.every(
        (entry, i) => entry && entry.size === found[i]!.size && entry.modified === found[i]!.modified,
      )
    ) {
      loaded.numbers.push(number)
      loaded.keys.push(load.key)
      for (const entry of known) loaded.runs.add(entry!.run)
    }
  }
  for (const { numbers, keys, where, skip } of missing.values()) {
    const what = skip ? 'skipped' : 'failed'
    const text =
      keys.length === 1
        ? `${keys[0]}: no file matches. Its load will be ${what}`
        : `${number(keys.length)} loads find no file and will be ${what}: ${some(keys)}`
    findings.add('no-file', 'look', text, where, numbers)
  }
  if (loaded.numbers.length > 0) {
    const runs = [...loaded.runs].sort((a, b) => b - a)
    const by = runs.length === 1 ? `run ${runs[0]}` : `${runs.length} runs, the newest ${runs[0]}`
    findings.add(
      'already-loaded',
      'note',
      `${loaded.keys.length === 1 ? `the file of ${loaded.keys[0]} was` : `the same files of ${loaded.keys.length} loads were`} already loaded, by ${by}`,
      { path: 'transfer.from.files' },
      loaded.numbers,
    )
  }
}
