/** A file of the scope, read well enough to know its columns. */
export interface ShapedFile {
  readonly path: string
  /** Names of its columns; several entries where a file holds several datasets are told apart by `inner`. */
  readonly names: readonly string[]
  /** Files of different kinds never join: `csv`, `xlsx` with its sheet … */
  readonly kind: string
  readonly unnamed: boolean
  readonly inner?: string
}

export interface FileGroup<T> {
  /** Folder of the dataset, without its `name=value` folders. */
  readonly folder: string
  /** What the names of its files begin with, without the parts that vary; '' where they share nothing. */
  readonly stem: string
  readonly files: readonly T[]
}

export interface FolderValue {
  readonly name: string
  /** null: nothing, by the name that such folders are given in common practice. */
  readonly value: string | null
}

/** Parts a path at its `name=value` folders: what is left of the folder, and the values. */
export function folderValues(path: string): { folder: string; values: FolderValue[] } {
  const folders = path.split('/').slice(0, -1)
  const values: FolderValue[] = []
  const plain: string[] = []
  for (const folder of folders) {
    const found = /^([A-Za-z_][A-Za-z0-9_]*)=(.*)$/.exec(folder)
    if (found)
      values.push({
        name: found[1]!,
        value: found[2] === '__HIVE_DEFAULT_PARTITION__' ? null : decodeSafely(found[2]!),
      })
    else plain.push(folder)
  }
  return { folder: plain.join('/'), values }
}

function decodeSafely(text: string): string {
  try {
    return decodeURIComponent(text)
  } catch {
    return text
  }
}

/** A file's name without its ending, with every run of digits written `#`: what two days' files have in common. */
export function nameStem(path: string): string {
  const name = path.split('/').at(-1)!
  return name.replace(/(\.[A-Za-z][A-Za-z0-9]{0,7}){1,2}$/, '').replace(/[0-9]+/g, '#')
}

/** Share of all names of two files that both have, 0 to 1. */
function shared(a: readonly string[], b: readonly string[]): number {
  const other = new Set(b)
  const both = a.filter((name) => other.has(name)).length
  return both / (a.length + b.length - both || 1)
}

/**
 * Which files are one dataset: those of one folder (its `name=value` folders taken out) and kind that have the same
 * columns, and those whose names differ in digits only and that share at least half of their columns. Groups come in
 * the order of their first file.
 */
export function groupFiles<T extends ShapedFile>(files: readonly T[]): FileGroup<T>[] {
  const leader = new Map<number, number>()
  const find = (i: number): number => {
    let top = i
    while (leader.has(top)) top = leader.get(top)!
    if (top !== i) leader.set(i, top)
    return top
  }
  const join = (a: number, b: number) => {
    const [x, y] = [find(a), find(b)]
    if (x !== y) leader.set(Math.max(x, y), Math.min(x, y))
  }
  const bySame = new Map<string, number>()
  const byStem = new Map<string, number[]>()
  files.forEach((file, i) => {
    const { folder } = folderValues(file.path)
    const place = [folder, file.kind, file.inner ?? '', file.unnamed].join('\n')
    const columns = file.unnamed ? String(file.names.length) : [...file.names].sort().join('\n')
    const same = bySame.get(`${place}\n${columns}`)
    if (same === undefined) bySame.set(`${place}\n${columns}`, i)
    else return join(same, i)
    // only the first file of each shape is held against other shapes of its stem
    const stem = `${place}\n${nameStem(file.path)}`
    const others = byStem.get(stem) ?? []
    for (const other of others) if (shared(files[other]!.names, file.names) >= 0.5) join(other, i)
    byStem.set(stem, [...others, i])
  })
  // files of a known shape under another stem tie that stem to the shape too
  const stems = new Map<string, number>()
  files.forEach((file, i) => {
    const { folder } = folderValues(file.path)
    const stem = [folder, file.kind, file.inner ?? '', file.unnamed, nameStem(file.path)].join('\n')
    const first = stems.get(stem)
    if (first === undefined) stems.set(stem, i)
    else if (find(first) !== find(i) && shared(files[first]!.names, file.names) >= 0.5) join(first, i)
  })
  const groups = new Map<number, T[]>()
  files.forEach((file, i) => {
    const top = find(i)
    const group = groups.get(top)
    if (group) group.push(file)
    else groups.set(top, [file])
  })
  return [...groups.values()].map((group) => ({
    folder: folderValues(group[0]!.path).folder,
    stem: commonStem(group.map(({ path }) => path)),
    files: group,
  }))
}

/**
 * What the names begin with, cut at a separator, without digits: `flow` for flow_thornby_2026.csv and
 * flow_corrie_2026.csv. Where a few names are of another kind, what at least nine in ten begin with.
 */
export function commonStem(paths: readonly string[]): string {
  const names = paths.map((path) => nameStem(path))
  const whole = sharedStart(names)
  if (whole !== '') return whole
  const firstWord = (name: string) => name.split(/[-_. ]/, 1)[0]!
  const counts = new Map<string, number>()
  for (const name of names) counts.set(firstWord(name), (counts.get(firstWord(name)) ?? 0) + 1)
  const [word, count] = [...counts].sort((a, b) => b[1] - a[1])[0] ?? ['', 0]
  return count >= names.length * 0.9 ? sharedStart(names.filter((name) => firstWord(name) === word)) : ''
}

function sharedStart(names: readonly string[]): string {
  let stem = names[0] ?? ''
  for (const name of names) {
    let i = 0
    while (i < stem.length && stem[i] === name[i]) i++
    stem = stem.slice(0, i)
  }
  if (names.some((name) => name !== stem) && !/[-_. ]$/.test(stem)) {
    // names that part in the middle of a word share nothing that is worth a name
    const cut = stem.search(/[-_. ]+[^-_. ]*$/)
    stem = cut >= 0 ? stem.slice(0, cut) : ''
  }
  return stem
    .replace(/#/g, '')
    .replace(/[-_. ]+$/g, '')
    .replace(/[-_. ]{2,}/g, '_')
    .replace(/^[-_. ]+/, '')
}
