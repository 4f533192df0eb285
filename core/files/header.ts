import { classOf } from '../catalog/valueClass'

/** Where the table begins in a list of records that may have titles, notes and blank ones above it. */
export interface TablePlace {
  /** Records above the table. */
  readonly skip: number
  readonly header: boolean
  /** The header's names, or column_1, column_2 … where there is none. */
  readonly names: readonly string[]
  readonly width: number
}

const filled = (record: readonly string[]): number => record.filter((field) => field.trim() !== '').length

/** Names for columns that nobody named. */
export const unnamed = (width: number): string[] => Array.from({ length: width }, (_, i) => `column_${i + 1}`)

/**
 * Finds the table: its width is the commonest number of fields (the larger where two are as common), it begins at the
 * first record of that width whose fields are filled as the header must be, else at the first of that width. A record
 * is a header where each field has a text, no two are the same, none is a number, a date or a time, and, where all
 * below it is text too, none of its fields comes again below in its column. Undefined where there is no record.
 */
export function findTable(records: readonly (readonly string[])[]): TablePlace | undefined {
  const widths = new Map<number, number>()
  for (const record of records) {
    const width = lastFilled(record)
    if (width > 0) widths.set(width, (widths.get(width) ?? 0) + 1)
  }
  if (widths.size === 0) return undefined
  const most = Math.max(...widths.values())
  const width = Math.max(...[...widths].filter(([, count]) => count === most).map(([value]) => value))
  // notes above a table are narrower than it, and rows whose last fields are blank are not wider
  const first = records.findIndex((record) => lastFilled(record) >= width)
  if (first < 0) return undefined
  const names = records[first]!.slice(0, Math.max(width, lastFilled(records[first]!)))
  const below = records.slice(first + 1)
  const header = isHeader(names, below)
  return { skip: first, header, names: header ? names : unnamed(names.length), width: names.length }
}

function lastFilled(record: readonly string[]): number {
  let end = record.length
  while (end > 0 && record[end - 1]!.trim() === '') end--
  return end
}

function isHeader(names: readonly string[], below: readonly (readonly string[])[]): boolean {
  if (filled(names) < names.length || new Set(names).size < names.length) return false
  if (names.some((name) => classOf(name) !== 'text')) return false
  const allText = below.every((record) => record.every((field) => ['text', 'blank'].includes(classOf(field))))
  if (!allText || below.length === 0) return true
  return !names.some((name, i) => below.some((record) => record[i] === name))
}
