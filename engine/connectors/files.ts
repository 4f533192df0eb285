import type { Stats } from 'node:fs'
import { access, constants, lstat, readdir, realpath, stat } from 'node:fs/promises'
import { join, posix, resolve, sep } from 'node:path'
import { fail } from '../../core/fault'
import { hasWildcard } from '../../core/expression/slot'
import type { FileFact } from '../../core/plan/types'

/** A folder tree that loads read from. Paths are relative, with forward slashes, and never leave it. */
export interface FileStore {
  readonly name: string
  readonly root: string
}

/** Splits a pattern at slashes. @throws FaultError `path` for what would leave the store */
function segmentsOf(pattern: string): string[] {
  if (pattern.includes('\0')) fail('path', 'a path cannot hold a zero byte')
  if (pattern.startsWith('/') || /^[A-Za-z]:/.test(pattern))
    fail('path', `"${pattern}" is an absolute path; a store's paths are relative`)
  const segments = pattern.split('/')
  if (segments.some((segment) => segment === '..' || segment === '\\.\\.'))
    fail('path', `"${pattern}" leaves the store`)
  return segments.filter((segment) => segment !== '' && segment !== '.')
}

const unescape = (segment: string): string => segment.replace(/\\([*?\\])/g, '$1')

function matcher(segment: string): (name: string) => boolean {
  if (!hasWildcard(segment)) {
    const exact = unescape(segment)
    return (name) => name === exact
  }
  let source = ''
  for (let i = 0; i < segment.length; i++) {
    const char = segment[i]!
    if (char === '\\' && /[*?\\]/.test(segment[i + 1] ?? '')) source += `\\${segment[++i]}`
    else if (char === '*') source += '.*'
    else if (char === '?') source += '.'
    else source += char.replace(/[.+^${}()|[\]\\]/g, '\\$&')
  }
  const test = new RegExp(`^${source}$`, 's')
  return (name) => !name.startsWith('.') && test.test(name)
}

/** Lists folders once, however many patterns look into them. */
export class Lister {
  private readonly folders = new Map<string, Promise<string[]>>()
  private readonly rootReal: Promise<string>

  constructor(private readonly store: FileStore) {
    this.rootReal = realpath(store.root)
    this.rootReal.catch(() => {})
  }

  private names(folder: string): Promise<string[]> {
    let names = this.folders.get(folder)
    if (!names) {
      names = readdir(join(this.store.root, folder)).then(
        (list) => list.sort(),
        (error: NodeJS.ErrnoException) => {
          if (error.code === 'ENOENT' || error.code === 'ENOTDIR') return []
          throw error
        },
      )
      this.folders.set(folder, names)
    }
    return names
  }

  /** Files that match, in the order of their names. A pattern without a wildcard costs one look-up. */
  async find(pattern: string): Promise<FileFact[]> {
    let folders = ['']
    const segments = segmentsOf(pattern)
    const last = segments.pop()
    if (last === undefined) return []
    for (const segment of segments) {
      folders = (await Promise.all(folders.map((folder) => this.step(folder, segment)))).flat()
    }
    const paths = (await Promise.all(folders.map((folder) => this.step(folder, last)))).flat()
    const facts = await Promise.all(paths.map((path) => this.fact(path)))
    return facts.filter((fact) => fact !== undefined)
  }

  private async step(folder: string, segment: string): Promise<string[]> {
    if (!hasWildcard(segment)) return [posix.join(folder, unescape(segment))]
    const fits = matcher(segment)
    return (await this.names(folder)).filter(fits).map((name) => posix.join(folder, name))
  }

  private async fact(path: string): Promise<FileFact | undefined> {
    let found: Stats
    try {
      const full = join(this.store.root, path)
      found = await lstat(full)
      if (found.isSymbolicLink()) {
        await insideStore(this.store, path, await this.rootReal)
        found = await stat(full)
      }
    } catch (error) {
      const { code } = error as NodeJS.ErrnoException
      if (code === 'ENOENT' || code === 'ENOTDIR' || code === 'ENAMETOOLONG') return undefined
      throw error
    }
    return found.isFile() ? { path, size: found.size, modified: found.mtime.toISOString() } : undefined
  }
}

/** Full path of a file of the store, links followed. @throws FaultError `path` where it lies outside */
export async function insideStore(store: FileStore, path: string, rootReal?: string): Promise<string> {
  segmentsOf(path)
  const root = rootReal ?? (await realpath(store.root))
  const full = await realpath(resolve(root, path))
  if (full !== root && !full.startsWith(root + sep))
    fail('path', `"${path}" leads out of the store ${store.name}`)
  return full
}

export async function storeSteps(store: FileStore): Promise<{ folder: string; files: number }> {
  await access(store.root, constants.R_OK | constants.X_OK)
  const names = await readdir(store.root, { withFileTypes: true })
  return { folder: store.root, files: names.filter((entry) => entry.isFile()).length }
}
