import { csvRecords } from '../files/csvRecords'
import { findDialect } from '../files/dialect'
import { readCell } from '../catalog/rules'
import { valueText, type Column, type Row, type Table } from '../value'
import { keyId, keyOf, keyText } from './edits'

/** Rows of text that come in from a file or the clipboard. */
export interface Incoming {
  readonly columns: readonly string[]
  readonly rows: readonly (readonly string[])[]
}

/**
 * Reads CSV of any common dialect, or JSON: a list of objects, or one object a line.
 * @throws Error in words where it is neither
 */
export function readIncoming(text: string): Incoming {
  const plain = text.trim()
  if (plain.startsWith('[') || plain.startsWith('{')) return readObjects(plain)
  const dialect = findDialect(text)
  if (!dialect) throw new Error('there is nothing to bring in: no line was found')
  if (dialect.format.header === false)
    throw new Error('the first line must name the columns, as the table has them')
  const { delimiter = ',', quote = '"' } = dialect.format
  const records = csvRecords(text, { delimiter, quote })
  const at = records.findIndex((record) => record.join('\n') === dialect.names.join('\n'))
  const columns = dialect.names.map((name) => name.trim())
  return { columns, rows: records.slice(Math.max(0, at) + 1) }
}

function readObjects(text: string): Incoming {
  let list: unknown
  try {
    list = text.startsWith('[')
      ? JSON.parse(text)
      : text
          .split('\n')
          .filter((line) => line.trim() !== '')
          .map((line) => JSON.parse(line) as unknown)
  } catch (error) {
    throw new Error(`this JSON cannot be read: ${(error as Error).message}`)
  }
  if (
    !Array.isArray(list) ||
    !list.every((entry) => typeof entry === 'object' && entry !== null && !Array.isArray(entry))
  )
    throw new Error('the JSON must be a list of objects, one for each row')
  const objects = list as Record<string, unknown>[]
  const columns = [...new Set(objects.flatMap((entry) => Object.keys(entry)))]
  const cell = (value: unknown): string =>
    value === null || value === undefined
      ? ''
      : typeof value === 'object'
        ? JSON.stringify(value)
        : String(value)
  return { columns, rows: objects.map((entry) => columns.map((name) => cell(entry[name]))) }
}

/** What bringing rows in would do, before it is done. */
export interface BroughtIn {
  readonly added: readonly Row[]
  readonly changed: readonly { readonly key: Row; readonly set: Row; readonly before: Row }[]
  /** Rows of the table that did not come in. */
  readonly absent: readonly Row[]
  readonly same: number
  /** Columns that came in and that the table has not; they are left aside. */
  readonly unknown: readonly string[]
  /** Cells that cannot be read as their column's type, and rows without a key or with one twice; their rows stay out. */
  readonly faults: readonly { readonly row: number; readonly message: string }[]
}

/**
 * Matches rows by key with those of a table. Columns that do not come in stay as they are.
 * @throws Error in words where a column of the key does not come in
 */
export function bringIn(table: Table, incoming: Incoming): BroughtIn {
  const columns = new Map(table.columns.map((column) => [column.name, column]))
  const missing = table.key.filter((name) => !incoming.columns.includes(name))
  if (missing.length > 0)
    throw new Error(`rows are matched by ${table.key.join(', ')}, and ${missing.join(', ')} is not among what comes in`) // prettier-ignore
  const known = new Map(table.rows.map((row) => [keyId(keyOf(table, row)), row]))
  const seen = new Set<string>()
  const added: Row[] = []
  const changed: BroughtIn['changed'][number][] = []
  const faults: BroughtIn['faults'][number][] = []
  let same = 0
  incoming.rows.forEach((cells, i) => {
    const read = readRow(incoming.columns, cells, columns)
    const own = keyOf(table, read.row)
    const key = keyId(own)
    const message =
      read.fault ??
      (table.key.some((name) => read.row[name] === null) ? 'it has no key' : undefined) ??
      (seen.has(key) ? `${keyText(own)} comes in twice` : undefined)
    if (message !== undefined) {
      faults.push({ row: i + 1, message })
      return
    }
    seen.add(key)
    const before = known.get(key)
    if (!before) {
      added.push(read.row)
      return
    }
    const set = Object.fromEntries(
      Object.entries(read.row).filter(
        ([name, value]) => valueText(value) !== valueText(before[name] ?? null),
      ),
    )
    if (Object.keys(set).length === 0) same++
    else changed.push({ key: keyOf(table, before), set, before })
  })
  return {
    added,
    changed,
    absent: [...known].filter(([key]) => !seen.has(key)).map(([, row]) => row),
    same,
    unknown: incoming.columns.filter((name) => !columns.has(name)),
    faults,
  }
}

function readRow(
  names: readonly string[],
  cells: readonly string[],
  columns: ReadonlyMap<string, Column>,
): { row: Row; fault: string | undefined } {
  const row: Record<string, Row[string]> = {}
  let fault: string | undefined
  names.forEach((name, i) => {
    const column = columns.get(name)
    if (!column) return
    const value = readCell(cells[i] ?? '', column.type)
    if (value === undefined) fault ??= `"${cells[i]}" is no ${column.type} (${name})`
    else row[name] = value
  })
  return { row, fault }
}
