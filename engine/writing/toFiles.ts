import { mkdir, readdir, rename, rm, stat } from 'node:fs/promises'
import { dirname, join, posix, relative, sep } from 'node:path'
import type { DuckDBConnection } from '@duckdb/node-api'
import { postgresTypeFor } from '../../core/catalog/types'
import { formats, writtenKinds, type FileKind } from '../../core/files/formats'
import type { Packing } from '../../core/files/formats/definition'
import type { ToFiles } from '../../core/job/steps/transfer'
import { rulesFor, shapedSql } from '../../core/shape/shape'
import { quoteName } from '../../core/text/slot'
import { checkFiles } from '../checks'
import type { FileStore } from '../connectors/files/store'
import { contentOf } from '../fileWorks/content'
import { point } from '../context/points'
import { stepFault, stopped, type StepContext } from '../context/step'
import { formats as readers } from '../formats'
import type { FileWriter } from '../formats/definition'
import { castColumns } from '../reading/cast'
import { brokenLines, keepRejects } from '../reading/rejects'
import type { EmptySource, OpenSource } from '../reading/source'
import { changesBy, workOut } from '../reading/writings'
import { sourceColumns } from './columns'
import { flush, placeFor, sweepTemporaries, temporaryName } from './place'
import { checkRejects, noteCounts } from './rejects'

export interface FileTarget {
  readonly store: FileStore
  /** Path of the file; of the folder where it is split. */
  readonly path: string
  readonly spec: ToFiles
}

/**
 * Writes what a source gives as files: under a temporary name beside the target, then renamed, so that a reader sees
 * the old file or the new one, never half of it. A load that is done again writes the same file again.
 */
export async function toFiles(
  duck: DuckDBConnection,
  given: OpenSource | EmptySource,
  target: FileTarget,
  context: StepContext,
): Promise<void> {
  const { spec } = target
  if (given.empty) {
    const { rows } = await noteCounts(given, context.outcome)
    context.outcome.counts = { ...context.outcome.counts, read: rows }
    return stepFault(
      'no-columns',
      `${given.label} has neither a header nor rows, so there is nothing to write`,
      'look whether the source is complete',
    )
  }
  context.outcome.sourceColumns = given.columns.map(({ name, type, own }) =>
    given.ofText ? { name } : { name, type: own ?? type },
  )
  const columns = sourceColumns(given.columns.map(({ name }) => name), spec, { renames: given.renames }) // prettier-ignore
  const wanted = [...columns].map(([name, from]) => {
    const given = spec.types?.[name]
    const shaped = (operand: string) => shapedSql(operand, rulesFor({ name, type: 'text' }, spec.shape ?? []))
    return { name, source: from, type: given && postgresTypeFor(given), shaped }
  })
  const { readings, said } = await workOut(duck, given, wanted)
  context.outcome.log.push(...said)
  const source: OpenSource = { ...given, readings }
  const cast = castColumns(source, wanted, { zone: context.zone, into: 'values' })
  const list = wanted.map(({ name }, i) => `${cast.operands[i]!} as ${quoteName(name)}`)
  const written = await writeFiles(
    duck,
    `select ${list.join(', ')} from ${cast.from}`,
    target,
    context,
    async (wrote) => {
      // a source that broke off looks to its reader like one that ended
      await source.drained?.()
      const { rows } = await noteCounts(source, context.outcome)
      const broken = await brokenLines(duck, source)
      const missing = rows - wrote - broken
      const rejected = broken + (await keepRejects(duck, source, cast, { broken, missing }, context))
      context.outcome.counts = { ...context.outcome.counts, read: rows, rejected }
      checkRejects(spec, rows, rejected, context.outcome)
      context.outcome.log.push(...(await changesBy(duck, source, wanted, context.zone)))
      checkFiles(spec.check ?? [], wrote, context.outcome)
    },
  )
  context.outcome.counts = { ...context.outcome.counts, written }
}

/** The format by the job, else by the ending. @throws StepFault `format` */
export function formatOf({ spec, path }: FileTarget): FileKind {
  if (spec.into.format) return spec.into.format
  const plain = path.replace(/\.(gz|zst)$/i, '')
  return (
    writtenKinds.find((kind) => formats[kind].writes?.names.test(plain)) ??
    stepFault(
      'format',
      `${path} does not end like a format that can be written`,
      `set format: ${writtenKinds.join(', ')}`,
    )
  )
}

/** Runs a SELECT into files. `before` is asked, with the rows written, before any of them is seen. Returns the rows. */
export async function writeFiles(
  duck: DuckDBConnection,
  select: string,
  target: FileTarget,
  context: StepContext,
  before: (rows: number) => Promise<void>,
): Promise<number> {
  const { spec, store } = target
  const writer = writerOf(target)
  const { split } = spec.into
  const full = await placeFor(store, split ? `${target.path.replace(/\/+$/, '')}/x` : target.path)
  const place = split ? dirname(dirname(full)) : dirname(full)
  const own = join(place, temporaryName(context))
  const start = performance.now()
  const stop = () => duck.interrupt()
  context.signal.addEventListener('abort', stop)
  try {
    await rm(own, { recursive: true, force: true })
    await sweepTemporaries(place, context)
    const rows = await writer.write(duck, select, {
      file: own,
      compress: packingOf(target),
      delimiter: /\.tsv(\.|$)/i.test(target.path) ? '\t' : spec.into.delimiter,
      split,
    })
    context.outcome.statements.push({
      on: store.name,
      text: select,
      rows,
      milliseconds: Math.round(performance.now() - start),
    })
    if (writer.count) await checkRows(writer.count, duck, own, split !== undefined, rows)
    await before(rows)
    await point('file-written')
    if (context.signal.aborted) throw stopped()
    // a process that stood still may come back when another has done the load already
    if (!(await context.stillMine())) throw stopped()
    if (split) await swapFolder(own, dirname(full))
    else {
      await flush(own)
      await rename(own, full)
      await flush(dirname(full))
    }
    await point('file-named')
    await noteWritten(store, split ? dirname(full) : full, rows, context)
    return rows
  } catch (error) {
    if (context.signal.aborted) throw stopped()
    throw error
  } finally {
    context.signal.removeEventListener('abort', stop)
    await rm(own, { recursive: true, force: true })
  }
}

/** How the target's format is written. @throws StepFault `format` */
export function writerOf(target: FileTarget): FileWriter {
  const kind = formatOf(target)
  const { writer } = readers[kind]
  return (
    writer ??
    stepFault('format', `${formats[kind].words} is only read`, `set format: ${writtenKinds.join(', ')}`)
  )
}

const packingOf = ({ spec, path }: FileTarget): Packing | undefined =>
  spec.into.compress ?? (/\.gz$/i.test(path) ? 'gzip' : /\.zst$/i.test(path) ? 'zstd' : undefined)

/** What was written must say as many rows as were read into it. */
async function checkRows(
  count: NonNullable<FileWriter['count']>,
  duck: DuckDBConnection,
  own: string,
  folder: boolean,
  rows: number,
): Promise<void> {
  if (rows === 0 && folder) return
  const found = await count(duck, own, folder)
  if (found !== rows)
    stepFault(
      'lost-rows',
      `${rows} rows were read and ${found} are in the files`,
      'rerun; tell us if it happens again',
    )
}

/** Puts a folder of new files in the place of the old one; a fault between the two steps is mended by the next attempt. */
async function swapFolder(own: string, full: string): Promise<void> {
  await mkdir(own, { recursive: true })
  for (const file of await filesBelow(own)) await flush(file)
  const old = `${own}-old`
  await rm(old, { recursive: true, force: true })
  await rename(full, old).catch((error: NodeJS.ErrnoException) => {
    if (error.code !== 'ENOENT') throw error
  })
  await rename(own, full)
  await flush(dirname(full))
  await rm(old, { recursive: true, force: true })
}

async function filesBelow(folder: string): Promise<string[]> {
  const entries = await readdir(folder, { withFileTypes: true, recursive: true })
  return entries.filter((entry) => entry.isFile()).map((entry) => join(entry.parentPath, entry.name))
}

async function noteWritten(
  store: FileStore,
  full: string,
  rows: number,
  context: StepContext,
): Promise<void> {
  const root = await store.real()
  const facts = await stat(full)
  const files = facts.isDirectory() ? await filesBelow(full) : [full]
  const pathOf = (file: string) => relative(root, file).split(sep).join(posix.sep)
  const path = pathOf(full)
  let bytes = 0
  for (const file of files) {
    const { sha256, size } = await contentOf(file, context.signal)
    bytes += size
    const modified = (await stat(file)).mtime.toISOString()
    context.outcome.files.push({ store: store.name, path: pathOf(file), size, modified, sha256, records: files.length === 1 ? rows : 0, did: 'written' }) // prettier-ignore
  }
  context.outcome.log.push(
    `wrote ${path}${facts.isDirectory() ? `: ${files.length} files` : ''}, ${bytes.toLocaleString('en')} bytes`,
  )
  context.outcome.bytes ||= bytes
}
