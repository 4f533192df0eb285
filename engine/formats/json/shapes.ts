import { createWriteStream } from 'node:fs'
import { mkdir, open, readFile, stat } from 'node:fs/promises'
import { join } from 'node:path'
import { once } from 'node:events'
import { gunzipSync } from 'node:zlib'
import { LosslessNumber, parse, stringify } from 'lossless-json'
import type { FileFormat } from '../../../core/catalog/found'
import { findTable } from '../../../core/files/header'

/** Ways in which JSON is a table without being a list of objects. */
export type JsonShape = NonNullable<FileFormat['shape']>

type Fields = Readonly<Record<string, unknown>>

/** Bytes of a document that is looked through whole. */
const largest = 64 << 20

const isFields = (value: unknown): value is Fields =>
  typeof value === 'object' && value !== null && !Array.isArray(value) && !(value instanceof LosslessNumber)
const isPlain = (value: unknown): boolean => !isFields(value) && !Array.isArray(value)

/** Copies that were made by this process: each has a name of its own. */
let made = 0

/** Which of these shapes a document has; undefined for a list of objects, and for one that holds such a list. */
export async function shapeOfDocument(path: string, format: FileFormat): Promise<JsonShape | undefined> {
  if (format.kind !== 'json') return undefined
  const { size } = await stat(path)
  if (size > largest || (!format.gzip && (await beginsPlainly(path)))) return undefined
  try {
    return rowsOf(await documentOf(path, format))?.shape
  } catch {
    // what is no JSON is told by its reader, with its place
    return undefined
  }
}

/** A list whose first entry is an object. */
async function beginsPlainly(path: string): Promise<boolean> {
  const file = await open(path, 'r')
  try {
    const { buffer, bytesRead } = await file.read(Buffer.alloc(4096), 0, 4096, 0)
    return /^\uFEFF?\s*\[\s*\{/.test(buffer.toString('utf8', 0, bytesRead))
  } finally {
    await file.close()
  }
}

async function documentOf(path: string, format: FileFormat): Promise<unknown> {
  const bytes = await readFile(path)
  const text = (format.gzip ? gunzipSync(bytes, { maxOutputLength: largest }) : bytes).toString('utf8')
  return parse(text.replace(/^\uFEFF/, ''))
}

/** Lays the rows of such a document down as newline-delimited JSON in `folder`, every digit as it was written. */
export async function layShape(path: string, format: FileFormat, folder: string): Promise<string> {
  const found = rowsOf(await documentOf(path, format))
  await mkdir(folder, { recursive: true })
  const copy = join(folder, `rows-${++made}.ndjson`)
  const out = createWriteStream(copy)
  for (const row of found?.rows ?? []) if (!out.write(`${stringify(row)}\n`)) await once(out, 'drain')
  out.end()
  await once(out, 'close')
  return copy
}

/** How many rows such a document has. */
export const rowsInShape = async (path: string, format: FileFormat): Promise<number> =>
  rowsOf(await documentOf(path, format))?.rows.length ?? 0

/** The rows of a document of such a shape. */
export function rowsOf(document: unknown): { shape: JsonShape; rows: readonly Fields[] } | undefined {
  if (Array.isArray(document)) {
    if (document.length === 0 || document.some((entry) => isFields(entry))) return undefined
    if (document.every((entry) => Array.isArray(entry)))
      return { shape: 'lists', rows: fromLists(document as unknown[][]) }
    return { shape: 'values', rows: document.map((value: unknown) => ({ value })) }
  }
  if (!isFields(document)) return undefined
  const entries = Object.entries(document)
  const { columns, data } = document
  if (Array.isArray(columns) && Array.isArray(data) && data.every((row) => Array.isArray(row)))
    if (columns.every((name) => typeof name === 'string'))
      return { shape: 'lists', rows: (data as unknown[][]).map((row) => rowOf(columns as string[], row)) }
  if (holdsRecords(document)) return undefined
  const lists = entries.map(([, value]) => value)
  if (entries.length > 0 && lists.every((value) => Array.isArray(value) && value.every(isPlain))) {
    const columnsOf = entries as [string, unknown[]][]
    const length = columnsOf[0]![1].length
    if (length > 0 && columnsOf.every(([, values]) => values.length === length))
      return {
        shape: 'columns',
        rows: Array.from({ length }, (_, i) =>
          Object.fromEntries(columnsOf.map(([name, values]) => [name, values[i]])),
        ),
      }
  }
  if (entries.length > 0 && lists.every(isFields)) {
    const own = lists.map((value) => Object.keys(value))
    const keys = own[0]!
    const same = own.every(
      (names) => names.length === keys.length && names.every((name, i) => name === keys[i]),
    )
    if (same && keys.length > 0 && keys.every((key) => /^\d+$/.test(key)))
      return {
        shape: 'columns',
        rows: keys.map((key) =>
          Object.fromEntries(entries.map(([name, value]) => [name, (value as Fields)[key]])),
        ),
      }
    const all = new Set(own.flat())
    const shared = own.every((names) => names.length * 2 >= all.size)
    if (entries.length > 1 && shared && keys.length > 0)
      return {
        shape: 'keyed',
        rows: entries.map(([key, value]) => ({
          [all.has('key') ? 'record_key' : 'key']: key,
          ...(value as Fields),
        })),
      }
  }
  return { shape: 'object', rows: [document] }
}

/** Is there a list of objects anywhere within objects? Then these are the records. */
const holdsRecords = (fields: Fields): boolean =>
  Object.values(fields).some((value) =>
    Array.isArray(value) ? value.some((entry) => isFields(entry)) : isFields(value) && holdsRecords(value),
  )

const rowOf = (names: readonly string[], cells: readonly unknown[]): Fields =>
  Object.fromEntries(names.map((name, i) => [name, cells[i] ?? null]))

function fromLists(lists: readonly (readonly unknown[])[]): Fields[] {
  const texts = lists
    .slice(0, 100)
    .map((row) =>
      row.map((cell) => (cell === null ? '' : typeof cell === 'string' ? cell : (stringify(cell) ?? ''))),
    )
  const place = findTable(texts, null)
  const width = Math.max(...lists.map(({ length }) => length))
  const head =
    lists[0]!.every((cell) => typeof cell === 'string') && place?.header === true && place.skip === 0
  const names = head ? place.names : Array.from({ length: width }, (_, i) => `column_${i + 1}`)
  return lists.slice(head ? 1 : 0).map((row) => rowOf(names, row))
}
