import { editDistance } from '../expression/nearest'
import { valueText, type Row } from '../value'

/** A name that a row expects. */
export interface KnownName {
  /** Key of the row. */
  readonly row: string
  /** The name, or its pattern, without folders. */
  readonly name: string
}

/** Dates and numbers of names are not what tells feeds apart. */
const shape = (name: string): string => name.toLowerCase().replace(/\d+/g, '#').replace(/[*?]/g, '')

/** The row whose names are most like a file's, where one is like it at all: letters that differ, at most half of them. */
export function nearestRow(file: string, known: readonly KnownName[]): KnownName | undefined {
  const wanted = shape(file)
  let best: { name: KnownName; away: number } | undefined
  for (const name of known) {
    const away = editDistance(wanted, shape(name.name))
    if (!best || away < best.away) best = { name, away }
  }
  return best && best.away <= wanted.length / 2 ? best.name : undefined
}

const words = (name: string): string[] => name.split(/[^\p{L}]+/u).filter((word) => word !== '')

/**
 * A control row for a file that no row expects: that of the nearest name, with the one word that differs put in place of the
 * other wherever it stands. Undefined where more than a word differs.
 */
export function proposedRow(file: string, nearest: string, row: Row): Row | undefined {
  const [own, other] = [words(file), words(nearest.replace(/[*?]/g, ' '))]
  if (own.length !== other.length) return undefined
  const differing = own.flatMap((word, at) => (word.toLowerCase() === other[at]!.toLowerCase() ? [] : [[other[at]!, word] as const]))
  if (differing.length !== 1) return undefined
  const [[was, is]] = differing as [readonly [string, string]]
  let changed = false
  const proposed = Object.fromEntries(
    Object.entries(row).map(([column, value]) => {
      const text = valueText(value)
      if (typeof value !== 'string' || !words(text).some((word) => word.toLowerCase() === was.toLowerCase())) return [column, value]
      changed = true
      return [column, text.replace(new RegExp(`(?<!\\p{L})${was}(?!\\p{L})`, 'giu'), is)]
    }),
  )
  return changed ? proposed : undefined
} // prettier-ignore
