import { RE2JS } from 're2js'
import { timeReader } from '../expression/dates'
import { parseTemplate } from '../text/template'
import { fail } from '../fault'
import { storeSegments, wildcardSource } from '../store/pattern'
import type { Column, Row, Value } from '../value'

/** A stretch of a file pattern: text with wildcards, or a named part of the name. */
export type PatternPiece = string | { readonly part: string; readonly format: string | undefined }

/** Stands for a slash that parts folders, while the expression is put together; no pattern can hold it. */
const slashMark = '\0'

const partName = /^\s*([A-Za-z_]\w*)\s*(?::(.*))?$/s

/**
 * Tells the named parts of a file pattern from its expressions: `{district}` and `{date:yyyyMMdd}` are parts,
 * anything else between braces, such as `{row.kind}`, is an expression.
 * @throws FaultError `template`
 */
export function patternTokens(
  text: string,
): (
  | { readonly kind: 'literal'; readonly text: string }
  | { readonly kind: 'expression'; readonly source: string; readonly offset: number }
  | { readonly kind: 'part'; readonly part: string; readonly format: string | undefined }
)[] {
  return parseTemplate(text).map((piece) => {
    if (piece.kind === 'literal') return piece
    const found = partName.exec(piece.source)
    return found ? { kind: 'part', part: found[1]!, format: found[2]?.trim() } : piece
  })
}

/** What is known of every file: name, path in the store, folder, size in bytes, time of its last change. */
export const fileColumns: readonly Column[] = [
  { name: 'name', type: 'text' },
  { name: 'path', type: 'text' },
  { name: 'folder', type: 'text' },
  { name: 'size', type: 'integer' },
  { name: 'modified', type: 'timestamp' },
]

export interface FilePattern {
  /** The named parts, in their order. */
  readonly columns: readonly Column[]
  /** A pattern of plain wildcards that every match fits, for listing. */
  readonly glob: string
  /** The parts of a path that matches, by name; undefined for one that does not. */
  match(path: string): Row | undefined
}

interface Part {
  readonly column: Column
  readonly source: string
  read(text: string): Value | undefined
}

/**
 * Compiles a pattern of files. A part without a format takes the fewest letters that let the whole name match; a date
 * pattern (UTS #35, such as `yyyyMMdd`) takes a date; `0` and `#` (UTS #35 number patterns) take whole numbers: `000`
 * three digits, `#` any.
 * @throws FaultError `pattern` for a part named twice with another format or like a column of every file,
 *   `date-pattern`, `outside-store`
 */
export function filePattern(
  pieces: readonly PatternPiece[],
  { subfolders, zone }: { readonly subfolders: boolean; readonly zone: string },
): FilePattern {
  const parts = new Map<string, Part>()
  let glob = ''
  let source = ''
  for (const piece of pieces) {
    if (typeof piece === 'string') {
      glob += piece
      source += piece.split('/').map(wildcardSource).join(slashMark)
      continue
    }
    glob += '*'
    const known = parts.get(piece.part)
    if (known) {
      // the same part again: the same text
      source += `\\k<${piece.part}>`
      continue
    }
    const made = partOf(piece.part, piece.format, zone)
    parts.set(piece.part, made)
    source += `(?<${piece.part}>${made.source})`
  }
  storeSegments(glob)
  const folders = source.split(slashMark).filter((segment) => segment !== '' && segment !== '\\.')
  const name = folders.pop() ?? ''
  const groupsOf = matcher(`^${[...folders, ''].join('/')}${subfolders ? '(?:[^/]+/)*' : ''}${name}$`)
  return {
    columns: [...parts.values()].map(({ column }) => column),
    glob,
    match(path) {
      const groups = groupsOf(path)
      if (!groups) return undefined
      const row: Record<string, Value> = {}
      for (const [name, part] of parts) {
        const value = part.read(groups[name]!)
        if (value === undefined) return undefined
        row[name] = value
      }
      return row
    },
  }
}

/** What may take any number of letters: a wildcard, a part without a format, digits without an end. */
const openPiece = /\[\^\/\][*+]|\\d\{\d+,\}/g

/**
 * The named groups of a path that fits. A name in which one piece of any length follows another can be parted in very many
 * ways; RE2 tries them all at once, in linear time, but knows no part that stands twice.
 * @throws FaultError `pattern` for a part that stands twice among too many pieces of any length
 */
function matcher(source: string): (path: string) => Readonly<Record<string, string>> | undefined {
  const repeats = source.includes('\\k<')
  const ways = source
    // folders part at their slashes, which no piece reaches over
    .split(/(?<!\^)\/(?!\])/)
    .map((segment) => Math.max(0, (segment.match(openPiece)?.length ?? 0) - 1))
    .reduce((sum, one) => sum + one, 0)
  if (repeats && ways > 2)
    fail('pattern', 'a part stands twice among too many parts and wildcards of any length; give some of them a format, or write the part once') // prettier-ignore
  // twice as fast, and as good where there are few ways
  if (repeats || ways < 2) {
    const whole = new RegExp(source, 's')
    return (path) => {
      const found = whole.exec(path)
      return found ? (found.groups ?? {}) : undefined
    }
  }
  const whole = RE2JS.compile(source, RE2JS.DOTALL)
  const names = Object.keys(whole.namedGroups())
  return (path) => {
    const found = whole.matcher(path)
    return found.find() ? Object.fromEntries(names.map((name) => [name, found.group(name)!])) : undefined
  }
}

function partOf(name: string, format: string | undefined, zone: string): Part {
  if (fileColumns.some((column) => column.name === name))
    fail('pattern', `every file has a "${name}" already; give this part of the name another name`)
  if (format === undefined || format === '')
    return { column: { name, type: 'text' }, source: '[^/]+?', read: (text) => text }
  if (/^[#0]+$/.test(format)) {
    const zeros = format.replace(/#/g, '').length
    const open = format.includes('#')
    return {
      column: { name, type: 'integer' },
      source: open ? `\\d{${Math.max(1, zeros)},}` : `\\d{${zeros}}`,
      read: (text) => (text.length > 15 ? text : Number(text)),
    }
  }
  if (format.includes('/'))
    fail('pattern', `the part "${name}" cannot reach over a slash; write a part for each folder`)
  const time = timeReader(format, zone)
  return { column: { name, type: time.type }, source: time.source, read: (text) => time.read(text) }
}

/** A row of a roster of files. */
export function fileRow(
  file: { readonly path: string; readonly size: number; readonly modified: string },
  parts: Row,
): Row {
  const slash = file.path.lastIndexOf('/')
  return {
    name: file.path.slice(slash + 1),
    path: file.path,
    folder: slash < 0 ? '' : file.path.slice(0, slash),
    size: file.size,
    modified: file.modified,
    ...parts,
  }
}
