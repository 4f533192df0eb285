import { mkdirSync, rmSync } from 'node:fs'
import { mkdtemp, readdir, rm } from 'node:fs/promises'
import { hostname, tmpdir } from 'node:os'
import { join } from 'node:path'

const host = hostname().replace(/[^\w-]/g, '_')
let root: string | undefined

/** This process's own folder for what it lays down and takes away again; nobody else sees into it. */
export function temporaryRoot(): string {
  if (!root) {
    root = join(tmpdir(), `mattock-${host}-${process.pid}`)
    mkdirSync(root, { recursive: true, mode: 0o700 })
    process.once('exit', removeTemporary)
  }
  return root
}

/** A new folder in it; whoever asks takes it away. */
export const newFolder = (what: string): Promise<string> => mkdtemp(join(temporaryRoot(), `${what}-`))

/** A folder of its own for as long as some work takes. */
export async function withFolder<T>(work: (folder: string) => Promise<T>): Promise<T> {
  const folder = await newFolder('work')
  try {
    return await work(folder)
  } finally {
    await rm(folder, { recursive: true, force: true })
  }
}

/**
 * Takes this process's folder away; it is made anew where it is needed again. What cannot be taken away, since a thread
 * still writes into it or the disk fails, is left to the next process that sweeps: the end of this one must not hang on it.
 */
export function removeTemporary(): void {
  try {
    if (root) rmSync(root, { recursive: true, force: true })
  } catch {
    // the sweep of another process takes it
  }
  root = undefined
}

/** Takes away the folders of processes of this machine that ended without doing so. Returns how many. */
export async function sweepTemporary(): Promise<number> {
  let swept = 0
  for (const name of await readdir(tmpdir())) {
    const [, of, pid] = /^mattock-(.+)-(\d+)$/.exec(name) ?? []
    if (of !== host || isAlive(Number(pid))) continue
    await rm(join(tmpdir(), name), { recursive: true, force: true })
    swept++
  }
  return swept
}

function isAlive(pid: number): boolean {
  try {
    process.kill(pid, 0)
    return true
  } catch (error) {
    return (error as NodeJS.ErrnoException).code === 'EPERM'
  }
}
