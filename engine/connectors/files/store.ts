import type { Stats } from 'node:fs'
import { access, constants, lstat, readdir, realpath, stat } from 'node:fs/promises'
import { join, posix, resolve, sep } from 'node:path'
import { fail, FaultError } from '../../../core/fault'
import { inBatches } from '../../context/inBatches'
import { storeRefusal, type StorePlaces } from '../../context/stores'
import type { FileFact } from '../../../core/plan/types'
import {
  hasWildcard,
  literalStart,
  segmentMatcher,
  storeSegments,
  unescapeSegment,
} from '../../../core/store/pattern'

/** A folder tree that loads read from. Paths are relative, with forward slashes, and never leave it. */
export interface FileStore {
  readonly name: string
  readonly root: string
  /** Its root, links followed. @throws FaultError `path` where no store may lie there */
  readonly real: () => Promise<string>
}

/** A store over a folder; `places` says where it may lie, for those that people set up. */
export function openStore(name: string, root: string, places?: StorePlaces): FileStore {
  let real: Promise<string> | undefined
  const find = async () => {
    const refusal = places && (await storeRefusal(root, places))
    return refusal === undefined ? await realpath(root) : fail('path', `${name}: ${refusal}`)
  }
  return {
    name,
    root,
    real: async () => {
      real ??= find()
      try {
        return await real
      } catch (error) {
        real = undefined
        throw error
      }
    },
  }
}

/** Lists folders once, however many patterns look into them. */
export class Lister {
  private readonly folders = new Map<string, Promise<string[]>>()
  private readonly rootReal: Promise<string>

  constructor(private readonly store: FileStore) {
    this.rootReal = store.real()
    this.rootReal.catch(() => {})
  }

  /** Names in a folder. One that a wildcard found, and a link leads out of the store, has none for us. */
  private names(folder: string, found = false): Promise<string[]> {
    let names = this.folders.get(folder)
    if (!names) {
      names = this.inside(folder)
        .then(() => readdir(join(this.store.root, folder)))
        .then(
          (list) => list.sort(),
          (error: NodeJS.ErrnoException) => {
            if (error.code === 'ENOENT' || error.code === 'ENOTDIR') return []
            if (found && error instanceof FaultError) return []
            throw error
          },
        )
      this.folders.set(folder, names)
    }
    return names
  }

  /** Folders that were found to lie within the store. */
  private readonly sound = new Map<string, Promise<unknown>>()

  /** @throws FaultError `path` where a link leads a folder out of the store */
  private async inside(folder: string): Promise<void> {
    let sound = this.sound.get(folder)
    if (!sound)
      this.sound.set(folder, (sound = this.rootReal.then((root) => insideStore(this.store, folder, root))))
    await sound
  }

  /**
   * Files that match, in the order of their names, but for paths that are known. A pattern without a wildcard costs one
   * look-up.
   * @throws FaultError `path` where one of them cannot be read: a link leads it out of the store, its name is no UTF-8
   */
  async find(pattern: string, known?: ReadonlySet<string>): Promise<FileFact[]> {
    return await this.matching(pattern, known)
  }

  /** Files that lie about: those that match but for what cannot be read, which nobody asked for. */
  async findAny(pattern: string, known?: ReadonlySet<string>): Promise<FileFact[]> {
    return await this.matching(pattern, known, true)
  }

  private async matching(pattern: string, known?: ReadonlySet<string>, any = false): Promise<FileFact[]> {
    let folders = ['']
    const segments = storeSegments(pattern)
    const last = segments.pop()
    if (last === undefined) return []
    let found = any
    for (const segment of segments) {
      folders = (await Promise.all(folders.map((folder) => this.step(folder, segment, found)))).flat()
      found ||= hasWildcard(segment)
    }
    const paths = (await Promise.all(folders.map((folder) => this.step(folder, last, found)))).flat()
    const asked = known ? paths.filter((path) => !known.has(path)) : paths
    const facts = await Promise.all(asked.map((path) => this.fact(path, found)))
    return facts.filter((fact) => fact !== undefined)
  }

  /**
   * Files for many patterns at once. Those without a wildcard are looked for in the list of their folder, which is read
   * once, so that a hundred thousand names that are not there cost no question to the disk; they are left out.
   */
  async findMany(patterns: readonly string[], width: number): Promise<Map<string, FileFact[]>> {
    const found = new Map<string, FileFact[]>()
    const toAsk: string[] = []
    const byFolder = new Map<string, { pattern: string; name: string }[]>()
    for (const pattern of patterns) {
      if (hasWildcard(pattern)) {
        toAsk.push(pattern)
        continue
      }
      const [folder, name] = placeOf(pattern)
      if (name === '') continue
      const list = byFolder.get(folder)
      if (list) list.push({ pattern, name })
      else byFolder.set(folder, [{ pattern, name }])
    }
    for (const [folder, list] of byFolder) {
      // for a few names it is quicker to ask for each than to read a large folder
      const there = list.length < 20 ? undefined : new Set(await this.names(folder))
      for (const { pattern, name } of list) {
        if (!there || there.has(name)) toAsk.push(pattern)
      }
    }
    await inBatches(toAsk, width, async (pattern) => {
      found.set(pattern, await this.find(pattern).catch((error: unknown) => [leading(pattern, error)]))
    })
    return found
  }

  /** As findMany, of what is here for whoever waits for it: what cannot be read is not. */
  async findHere(patterns: readonly string[], width: number): Promise<Map<string, FileFact[]>> {
    const found = await this.findMany(patterns, width)
    for (const [pattern, files] of found)
      if (files.some(({ outside }) => outside !== undefined))
        found.set(
          pattern,
          files.filter(({ outside }) => outside === undefined),
        )
    return found
  }

  /**
   * Files that match at any depth: the last part of the pattern in every folder below those that its other parts name.
   * Folders whose names begin with a dot are left out, as everywhere.
   */
  async findDeep(pattern: string): Promise<FileFact[]> {
    const segments = storeSegments(pattern)
    const last = segments.pop()
    if (last === undefined) return []
    let folders = ['']
    let byWildcard = false
    for (const segment of segments) {
      folders = (await Promise.all(folders.map((folder) => this.step(folder, segment, byWildcard)))).flat()
      byWildcard ||= hasWildcard(segment)
    }
    const found: FileFact[] = []
    for (const folder of folders) {
      for (const path of await this.step(folder, last, byWildcard)) {
        const fact = await this.fact(path, byWildcard)
        if (fact) found.push(fact)
      }
      for (const name of await this.subfolders(folder)) folders.push(posix.join(folder, name))
    }
    return found.sort((a, b) => (a.path < b.path ? -1 : 1))
  }

  private async subfolders(folder: string): Promise<string[]> {
    try {
      const entries = await readdir(join(this.store.root, folder), { withFileTypes: true })
      return entries.flatMap((entry) =>
        entry.isDirectory() && !entry.name.startsWith('.') ? [entry.name] : [],
      )
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException
      if (code === 'ENOENT' || code === 'ENOTDIR') return []
      throw error
    }
  }

  private async step(folder: string, segment: string, found: boolean): Promise<string[]> {
    if (!hasWildcard(segment)) return [posix.join(folder, unescapeSegment(segment))]
    const fits = segmentMatcher(segment)
    const names = await this.names(folder, found)
    // of a large folder only the names that begin as the pattern does are looked at
    const prefix = literalStart(segment)
    const there: string[] = []
    for (let at = firstFrom(names, prefix); at < names.length && names[at]!.startsWith(prefix); at++)
      if (fits(names[at]!)) there.push(posix.join(folder, names[at]!))
    return there
  }

  /** `byWildcard`: a folder above it was found; one that leads out of the store holds nothing of ours. */
  private async fact(path: string, byWildcard: boolean): Promise<FileFact | undefined> {
    let found: Stats
    try {
      const full = join(this.store.root, path)
      await this.inside(posix.dirname(path) === '.' ? '' : posix.dirname(path))
      found = await lstat(full)
      if (found.isSymbolicLink()) {
        await insideStore(this.store, path, await this.rootReal)
        found = await stat(full)
      }
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException
      // a name that was listed, and that nothing answers to
      if (code === 'ENOENT' && isMangled(path) && !byWildcard)
        fail('path', `${JSON.stringify(path)}: ${mangled}`)
      if (code === 'ENOENT' || code === 'ENOTDIR' || code === 'ENAMETOOLONG') return undefined
      if (byWildcard && error instanceof FaultError) return undefined
      throw error
    }
    return found.isFile() ? { path, size: found.size, modified: found.mtime.toISOString() } : undefined
  }
}

/** Has a name signs that stand for bytes that are no UTF-8? */
export const isMangled = (name: string): boolean => name.includes('\ufffd')
export const mangled = 'its name is not in UTF-8, so that nothing can be read by it; rename it'

/** The place of the first of some sorted names that does not come before another. */
function firstFrom(names: readonly string[], wanted: string): number {
  let low = 0
  let high = names.length
  while (low < high) {
    const middle = (low + high) >> 1
    if (names[middle]! < wanted) low = middle + 1
    else high = middle
  }
  return low
}

/** A file that cannot be read, as where a link leads out of the store: that row's to tell, and no end of the others. */
function leading(pattern: string, error: unknown): FileFact {
  if (!(error instanceof FaultError) || error.fault.code !== 'path') throw error
  return { path: pattern, size: 0, modified: new Date(0).toISOString(), outside: error.fault.message }
}

/** Folder and name of a pattern without a wildcard; the name is empty where it names nothing. */
function placeOf(pattern: string): [folder: string, name: string] {
  // most paths are plain at a glance, and there are many
  if (/^[^./\\:\0][^/\\\0]*(\/[^./\\\0][^/\\\0]*)*$/.test(pattern)) {
    const slash = pattern.lastIndexOf('/')
    return [slash < 0 ? '' : pattern.slice(0, slash), pattern.slice(slash + 1)]
  }
  const segments = storeSegments(pattern).map(unescapeSegment)
  const name = segments.pop() ?? ''
  return [segments.join('/'), name]
}

/** Full path of a file of the store, links followed. @throws FaultError `path` where it lies outside */
export async function insideStore(store: FileStore, path: string, rootReal?: string): Promise<string> {
  storeSegments(path)
  const root = rootReal ?? (await store.real())
  const full = await realpath(resolve(root, path)).catch((error: NodeJS.ErrnoException) => {
    if (error.code === 'ELOOP') fail('path', `"${path}" is a link that leads back to itself`)
    throw error
  })
  if (full !== root && !full.startsWith(root + sep))
    fail('path', `"${path}" leads out of the store ${store.name}`)
  return full
}

export async function storeSteps(store: FileStore): Promise<{ folder: string; files: number }> {
  await access(await store.real(), constants.R_OK | constants.X_OK)
  const names = await readdir(store.root, { withFileTypes: true })
  return { folder: store.root, files: names.filter((entry) => entry.isFile()).length }
}
