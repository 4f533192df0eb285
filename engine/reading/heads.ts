import { createHash } from 'node:crypto'
import { and, eq, inArray, sql } from 'drizzle-orm'
import { FaultError } from '../../core/fault'
import { oddValues, type WantedColumn } from '../../core/catalog/fits'
import { valueReadingOf } from '../../core/files/reading'
import { behindLines, hasQuotes, quickRecords } from '../../core/files/layout'
import type { FileFact, FileHead } from '../../core/plan/types'
import { fileHead } from '../../database/catalog'
import { insideStore, type FileStore } from '../connectors/files/store'
import type { Engine } from '../context/engine'
import { inBatches } from '../context/inBatches'
import { StepFault } from '../context/step'
import { recordsAbove } from '../formats/csv/lay'
import { formats } from '../formats'
import type { FileReading, Head, Known } from '../formats/definition'
import { readHead } from './files'

/** What is known of a file by its beginning. */
export interface KnownHead {
  readonly header: readonly string[] | null
  readonly head: FileHead
}

/** A file whose head is wanted, and how it is to be read. */
export interface WantedHead {
  readonly file: FileFact
  readonly reading: FileReading
  readonly types?: WantedTypes | undefined
}

/** What the columns of a file are to become, once its header is known. */
export interface WantedTypes {
  /** A digest of what it depends on. */
  readonly id: string
  /** By the file's own names; columns that may hold any text are not among them. */
  readonly of: (header: readonly string[]) => ReadonlyMap<string, WantedColumn>
}

/** Heads that are asked of, or written to, the database in one go. */
const lot = 5_000

/**
 * Heads of files: those that are kept, by path, size, time and the way of reading, and the others by a look at each, which
 * is kept. A file that cannot be reached has none.
 */
export async function headsOf(
  engine: Engine,
  environment: string,
  store: FileStore,
  wanted: readonly WantedHead[],
): Promise<Map<WantedHead, KnownHead>> {
  const found = new Map<WantedHead, KnownHead>()
  const ids = new Map<FileReading, string>()
  const idOf = (reading: FileReading): string => {
    const id =
      ids.get(reading) ?? createHash('sha256').update(JSON.stringify(reading)).digest('hex').slice(0, 16)
    ids.set(reading, id)
    return id
  }
  for (let at = 0; at < wanted.length; at += lot) {
    const some = wanted.slice(at, at + lot)
    const rows = await engine.db
      .select()
      .from(fileHead)
      .where(
        and(
          eq(fileHead.environment, environment),
          eq(fileHead.connection, store.name),
          inArray(fileHead.path, [...new Set(some.map(({ file }) => file.path))]),
        ),
      )
    const kept = new Map(rows.map((row) => [`${row.path}\n${row.reading}`, row]))
    const news: (typeof fileHead.$inferInsert)[] = []
    await inBatches(some, 32, async (want) => {
      const { file, reading, types } = want
      const id = types ? `${idOf(reading)} ${types.id}` : idOf(reading)
      const before = kept.get(`${file.path}\n${id}`)
      if (before?.size === file.size && before.modified === file.modified) {
        found.set(want, { header: before.header, head: before.head })
        return
      }
      const looked = await lookAtHead(store, want)
      if (!looked) return
      found.set(want, looked)
      news.push({ environment, connection: store.name, path: file.path, reading: id, size: file.size, modified: file.modified, ...looked, header: looked.header && [...looked.header] }) // prettier-ignore
    })
    const unique = [...new Map(news.map((row) => [`${row.path}\n${row.reading}`, row])).values()]
    for (let from = 0; from < unique.length; from += 1_000)
      await engine.db
        .insert(fileHead)
        .values(unique.slice(from, from + 1_000))
        .onConflictDoUpdate({
          target: [fileHead.environment, fileHead.connection, fileHead.path, fileHead.reading],
          set: {
            size: sql`excluded.size`,
            modified: sql`excluded.modified`,
            header: sql`excluded.header`,
            head: sql`excluded.head`,
            lookedAt: sql`now()`,
          },
        })
  }
  return found
}

async function lookAtHead(
  store: FileStore,
  { file, reading, types }: WantedHead,
): Promise<KnownHead | undefined> {
  if (file.size === 0) return undefined
  let full: string
  try {
    full = await insideStore(store, file.path)
  } catch {
    return undefined
  }
  try {
    const { detected, head: read } = await readHead(full, file.path, reading)
    if (!read) return { header: null, head: { unreadable: 'it has no line with anything in it' } }
    const header = read.names.length > 0 ? read.names : null
    if (formats[read.format.kind].counts !== 'records') return { header, head: {} }
    return { header, head: headOfText(detected, read, reading, types) }
  } catch (error) {
    if (!(error instanceof StepFault || error instanceof FaultError)) return undefined
    const message = error.message.startsWith(`${file.path}: `)
      ? error.message.slice(file.path.length + 2)
      : error.message
    return { header: null, head: { unreadable: message } }
  }
}

/** Lines of the beginning that are held against the header. */
const looked = 200
/** Columns with odd values that are told of a file. */
const most = 5

function headOfText(
  { sample, whole }: Known,
  { format, names }: Head,
  reading: FileReading,
  types: WantedTypes | undefined,
): FileHead {
  const { comment, tail = 0 } = format
  const skipped = behindLines(sample, format.skip ?? 0)
  const all = quickRecords(sample.slice(skipped), format, { whole, limit: looked }).filter(
    ({ fields }) => comment === undefined || !fields[0]!.startsWith(comment),
  )
  const rows = all.slice(recordsAbove(format))
  if (whole && format.header !== false && all.length > 0 && rows.length - tail <= 0)
    return { headerOnly: true }
  const body = rows.slice(0, whole ? rows.length - tail : rows.length)
  const lineOf = (at: number) => sample.slice(0, skipped + at).split(/\r\n|\r|\n/).length
  const ragged = names.length > 1 && hasQuotes(format) && body.find(({ fields }) => fields.length !== names.length) // prettier-ignore
  const fitting = body.filter(({ fields }) => fields.length === names.length)
  const odd = types
    ? oddValues(
        names,
        fitting.map(({ fields }) => fields),
        types.of(names),
        {
          stated: { ...(format.decimal ? { decimal: format.decimal } : {}), ...valueReadingOf(reading) },
          detects: reading.format === 'detect',
        },
      ).slice(0, most)
    : []
  return {
    ...(ragged
      ? { ragged: { line: lineOf(ragged.at), fields: ragged.fields.length, wanted: names.length } }
      : {}),
    ...(odd.length > 0
      ? {
          odd: {
            looked: fitting.length,
            columns: odd.map(({ row, ...rest }) => ({ ...rest, line: lineOf(fitting[row]!.at) })),
          },
        }
      : {}),
  }
}
