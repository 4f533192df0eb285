import type { Resolved, Slot } from '../text/slot'
import type { Row } from '../value'

/** What a load has of its own: the texts of its step, its row, its slice. */
interface Own {
  readonly texts: readonly { readonly slot: Pick<Slot, 'text'>; readonly resolved: Resolved | null }[]
  readonly row: Row | null
  readonly slice: { readonly label: string } | null
}

/** Shorter values are words of many messages. */
const shortest = 3

/** The texts that a message has from its load, and that would be others in the next one; the longest first. */
export function ownValues({ texts, row, slice }: Own): string[] {
  const resolved = texts.flatMap(({ slot, resolved: text }) =>
    text && text.text !== slot.text ? text.text : [],
  )
  const cells = Object.values(row ?? {}).flatMap((value) => (typeof value === 'string' ? value : []))
  return [...new Set([...resolved, ...cells, ...(slice ? [slice.label] : [])])]
    .filter((text) => text.length >= shortest)
    .sort((a, b) => b.length - a.length)
}

/** A message with its values taken out, so that failures of one cause read the same; `own` as {@link ownValues} has them. */
export function causeOf(message: string, own: readonly string[] = []): string {
  return withoutOwn(message, own)
    .replace(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|“[^”]*”/g, '…')
    .replace(/\b[\w./-]*\.(csv|json|parquet|xlsx|gz)\b/gi, '…')
    .replace(/\b\d{4}-\d\d-\d\d(?:[T ]\d\d:\d\d(?::\d\d(?:\.\d+)?)?(?:Z|[+-]\d\d:?\d\d)?)?/g, '…')
    .replace(/\d[\d,.]*/g, '…')
    .replace(/(…[\s,]*){2,}/g, '… ')
    .trim()
}

/** Takes texts out where they stand as words of their own. */
function withoutOwn(message: string, own: readonly string[]): string {
  return own.reduce((text, value) => {
    // a cell may be as long as a book
    if (!text.includes(value)) return text
    const escaped = value.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')
    return text.replace(new RegExp(`(?<![\\p{L}\\p{N}_])${escaped}(?![\\p{L}\\p{N}_])`, 'gu'), '…')
  }, message)
}

/** Codes of Node and of ours for what lies outside of any job: a server, a network, a disk. */
const outside = new Set([
  'away',
  'connection',
  'service',
  'busy',
  'no-space',
  'locked',
  'ENOSPC',
  'EDQUOT',
  'EROFS',
  'EMFILE',
  'ECONNREFUSED',
  'ECONNRESET',
  'EHOSTUNREACH',
  'ENETUNREACH',
  'ENOTFOUND',
  'EAI_AGAIN',
  'ETIMEDOUT',
  'EPIPE',
])

/**
 * Does a failure of this code lie outside of its job, so that others may have failed by the very same? Else two jobs that
 * fail with the same words have a cause each. Of SQLSTATE the classes of connections (08), signing in (28), a database
 * that is not there (3D), resources (53), an operator (57) and the system (58): PostgreSQL, appendix A.
 */
export const liesOutside = (code: string | null): boolean =>
  code !== null && (outside.has(code) || /^(08|28|3D|53|57|58)[0-9A-Z]{3}$/.test(code))
