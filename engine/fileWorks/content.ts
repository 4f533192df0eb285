import { createHash } from 'node:crypto'
import { createReadStream, createWriteStream } from 'node:fs'
import { link, rename, rm, stat } from 'node:fs/promises'
import { dirname } from 'node:path'
import { Transform, type Readable } from 'node:stream'
import { pipeline } from 'node:stream/promises'
import { point } from '../context/points'
import { stepFault, stopped, type StepContext } from '../context/step'
import { flush, placeFor, sweepTemporaries, temporaryName } from '../writing/place'
import type { FileStore } from '../connectors/files/store'
import type { TakenFile } from './taken'

/** What a file or an entry of an archive holds. */
export interface Content {
  readonly sha256: string
  /** Bytes. */
  readonly size: number
}

/** Passes bytes on and counts them; ask when they have ended. */
export function meter(): { through: Transform; content: () => Content } {
  const hash = createHash('sha256')
  let size = 0
  const through = new Transform({
    transform(chunk: Buffer, _encoding, done) {
      hash.update(chunk)
      size += chunk.length
      done(null, chunk)
    },
  })
  return { through, content: () => ({ sha256: hash.digest('hex'), size }) }
}

const reading = (full: string): Readable => createReadStream(full, { highWaterMark: 1 << 20 })

/** Reads a stream to its end. */
export async function contentOfStream(stream: Readable, signal: AbortSignal): Promise<Content> {
  const { through, content } = meter()
  through.resume()
  await pipeline(stream, through, { signal })
  return content()
}

export const contentOf = async (full: string, signal: AbortSignal): Promise<Content> =>
  await contentOfStream(reading(full), signal)

/** The content of a file that a step takes. @throws StepFault `file-changed` where it changed meanwhile */
export async function contentOfTaken(file: TakenFile, signal: AbortSignal): Promise<Content> {
  const content = await contentOf(file.full, signal)
  if (!(await isAsItWas(file)) || content.size !== file.size)
    stepFault('file-changed', `${file.path} changed while it was read`, 'rerun when it is complete')
  return content
}

/** Is the file still the one that was listed? */
export async function isAsItWas({ full, size, modified }: TakenFile): Promise<boolean> {
  const now = await stat(full).catch(() => undefined)
  return now !== undefined && now.size === size && now.mtime.toISOString() === modified
}

/** Writes a stream into a new file and puts it on the disk. */
export async function writeStream(stream: Readable, own: string, signal: AbortSignal): Promise<Content> {
  const { through, content } = meter()
  await pipeline(stream, through, createWriteStream(own, { flags: 'wx' }), { signal })
  await flush(own)
  return content()
}

/** A place in a store for a file that is being made. */
export interface MadeFile {
  /** Its true place. */
  readonly full: string
  /** Where it is written meanwhile, in the same folder. */
  readonly own: string
}

/** Folders that files are put into: each is looked through once, and put on the disk once all are named. */
export interface Folders {
  readonly swept: Map<string, Promise<void>>
  readonly named: Set<string>
}

export const newFolders = (): Folders => ({ swept: new Map(), named: new Set() })

/** Puts the names of files on the disk: before this they may be gone after a fall of the machine. */
export async function settle({ named }: Folders): Promise<void> {
  for (const folder of named) await flush(folder)
  named.clear()
}

/** Makes room for a file of a store; what earlier attempts left in its folder is taken away. */
export async function makeRoom(
  store: FileStore,
  path: string,
  context: StepContext,
  { folders, mark }: { readonly folders: Folders; readonly mark: number },
): Promise<MadeFile> {
  const full = await placeFor(store, path)
  const folder = dirname(full)
  let swept = folders.swept.get(folder)
  if (!swept) folders.swept.set(folder, (swept = sweepTemporaries(folder, context)))
  await swept
  folders.named.add(folder)
  const own = `${folder}/${temporaryName(context)}.${mark}`
  await rm(own, { force: true })
  return { full, own }
}

/**
 * Gives a file that is whole its true name. One that has come under that name meanwhile stays, unless it is to be replaced.
 * @throws StepFault `file-exists`
 */
export async function nameFile(
  { full, own }: MadeFile,
  path: string,
  replace: boolean,
  context: StepContext,
): Promise<void> {
  await point('file-written')
  if (context.signal.aborted || !(await context.stillMine())) throw stopped()
  if (replace) await rename(own, full)
  else {
    await link(own, full).catch(async (error: NodeJS.ErrnoException) => {
      if (error.code === 'EEXIST')
        stepFault(
          'file-exists',
          `${path} is there with other content`,
          'take it away, or set exists: replace',
        )
      // not every file system has links
      if (error.code !== 'EPERM' && error.code !== 'ENOTSUP' && error.code !== 'EOPNOTSUPP') throw error
      await rename(own, full)
    })
    await rm(own, { force: true })
  }
  await point('file-named')
}

/**
 * Copies a file under its true name once all of it is there and reads back as what was read.
 * @throws StepFault `file-changed`, `file-exists`, `lost-bytes`
 */
export async function copyFile(
  file: TakenFile,
  place: MadeFile,
  path: string,
  replace: boolean,
  context: StepContext,
): Promise<Content> {
  try {
    const read = await writeStream(reading(file.full), place.own, context.signal)
    if (!(await isAsItWas(file)) || read.size !== file.size)
      stepFault('file-changed', `${file.path} changed while it was read`, 'rerun when it is complete')
    await isWritten(place.own, path, read, context.signal)
    await nameFile(place, path, replace, context)
    return read
  } finally {
    await rm(place.own, { force: true })
  }
}

/** @throws StepFault `lost-bytes` where a file does not read back as what was written */
export async function isWritten(
  own: string,
  path: string,
  read: Content,
  signal: AbortSignal,
): Promise<void> {
  const written = await contentOf(own, signal)
  if (written.sha256 !== read.sha256)
    stepFault('lost-bytes', `${path} does not read back as it was written`, 'look at the disk, then rerun')
}
