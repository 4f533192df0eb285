import { isCelList, type CelValue } from '@bufbuild/cel'
import { fail, FaultError } from '../fault'
import { escapeWildcards, storeSegments } from '../store/pattern'
import { plainValue, type Bindings, type Compiled } from '../expression/cel'
import { asInstant } from '../expression/instants'
import { mostBytes, nameBytes } from './nameLength'
import { dollarTags, sqlFault } from './sqlPlaces'
import { parseTemplate, type Piece } from './template'

/** How a slot's text is used: plain text, a path pattern in a store, a table's name, SQL, or the path of a service. */
export type SlotKind = 'text' | 'path' | 'table' | 'sql' | 'address'

/** A place in a step that holds a text with expressions. */
export interface Slot {
  readonly step: string
  /** Path inside the step, such as `transfer.from.files`. */
  readonly path: string
  readonly kind: SlotKind
  readonly text: string
}

export type BoundValue = string | number | boolean | null | readonly BoundValue[]

/** What a slot resolves to for one load. */
export type Resolved =
  | { readonly kind: 'text'; readonly text: string }
  /** `text` is for people; `pattern` has the wildcards of values escaped by a backslash. */
  | { readonly kind: 'path'; readonly text: string; readonly pattern: string }
  | { readonly kind: 'table'; readonly text: string; readonly schema: string | null; readonly table: string }
  | { readonly kind: 'sql'; readonly text: string; readonly values: readonly BoundValue[] }
  /** Uses the outcome of earlier steps, so it is worked out when it runs. */
  | { readonly kind: 'later'; readonly text: string }

/** `schema.table` of a table, the schema being `public` where none is written. */
export const tableText = (resolved: Resolved | null): string | undefined =>
  resolved?.kind === 'table' ? `${resolved.schema ?? 'public'}.${resolved.table}` : undefined

export const plainText = (resolved: Resolved | null): string | undefined =>
  resolved?.kind === 'text' ? resolved.text : undefined

export interface CompiledSlot extends Slot {
  readonly pieces: readonly (string | Compiled)[]
  /** Offset in the slot's text of each piece. */
  readonly offsets: readonly number[]
  /** Of SQL: the tag of the text between dollars that each piece stands in, or ''. */
  readonly tags?: readonly string[]
  /** Roots used, such as row and slice. */
  readonly roots: ReadonlySet<string>
}

/** @throws FaultError `template` or `syntax`, with the offset in the slot's text */
export function compileSlot(slot: Slot, compile: (source: string) => Compiled): CompiledSlot {
  const offsets: number[] = []
  const pieces = parseTemplate(slot.text).map((piece: Piece) => {
    if (piece.kind === 'literal') {
      offsets.push(piece.offset)
      return piece.text
    }
    offsets.push(piece.offset)
    try {
      const compiled = compile(piece.source)
      const place = compiled.use === 'pattern' ? 'path' : 'sql'
      if (compiled.use !== 'value' && slot.kind !== place) {
        const belongs = place === 'path' ? 'paths of files' : 'SQL'
        fail('syntax', `${compiled.use}() is for ${belongs}; here write the value itself`, {
          offset: 0,
          length: piece.source.length,
        })
      }
      return compiled
    } catch (error) {
      if (error instanceof FaultError) {
        const { code, message, where } = error.fault
        fail(code, message, { ...where, offset: piece.offset + (where.offset ?? 0) })
      }
      throw error
    }
  })
  if (slot.kind === 'sql') {
    const wrong = sqlFault(pieces, offsets)
    if (wrong) fail('syntax', wrong.message, { offset: wrong.offset, length: wrong.length })
  }
  const roots = new Set(
    pieces.flatMap((piece) => (typeof piece === 'string' ? [] : piece.references.map(({ root }) => root))),
  )
  return { ...slot, pieces, offsets, roots, ...(slot.kind === 'sql' ? { tags: dollarTags(pieces) } : {}) }
}

/** A point in time that an expression came to: an ISO 8601 text in UTC that remembers what it is. */
export class Moment {
  constructor(private readonly iso: string) {}
  toString(): string {
    return this.iso
  }
}

/** One expression's worth, ready to be put together: its text for names, its value for SQL. */
export type Worked =
  ReturnType<typeof plainValue> | Moment | readonly (ReturnType<typeof plainValue> | Moment)[]

export function workOut(piece: Compiled, bindings: Bindings): Worked {
  if (piece.use === 'value') return worth(piece.evaluate(bindings))
  return piece.evaluateArguments(bindings).map(worth)
}

function worth(value: CelValue): ReturnType<typeof plainValue> | Moment {
  if (isCelList(value)) return [...value].map((item) => worth(item as CelValue))
  const instant = asInstant(value)
  return instant ? new Moment(instant.toString()) : plainValue(value)
}

const isEmpty = (value: Worked): boolean =>
  value === null ||
  value === '' ||
  (Array.isArray(value) && value.length === 1 && isEmpty(value[0] as Worked))

/** Slots that build a name or a path, in which nothing may be empty. */
const built: Partial<Record<SlotKind, string>> = { table: 'a name', path: 'a path', address: 'a path' }

/** What is wrong where a name or a path would be built from an empty value; undefined where nothing is. */
export function emptyFault(
  slot: Pick<CompiledSlot, 'kind' | 'pieces'>,
  worth: (index: number) => Worked,
): string | undefined {
  const what = built[slot.kind]
  if (what === undefined) return undefined
  const empty = slot.pieces.find((piece, i) => typeof piece !== 'string' && isEmpty(worth(i)))
  return empty === undefined || typeof empty === 'string'
    ? undefined
    : `{${empty.source}} is empty, and ${what} is built from it`
}

/** The text of an expression's worth; pattern() has its one argument in a list. */
const textOf = (piece: Compiled, value: Worked): string =>
  piece.use === 'pattern' && Array.isArray(value)
    ? value.map((part) => asText(part as Worked)).join('')
    : asText(value)

const asText = (value: Worked): string =>
  value === null ? '' : Array.isArray(value) ? value.join(',') : String(value)

/** Quotes an SQL identifier (SQL:2016 5.2, delimited identifier; Postgres `quote_ident` always quoting). */
export function quoteName(name: string): string {
  if (name.includes('\0')) fail('empty-value', 'a name cannot hold a zero byte')
  return `"${name.replace(/"/g, '""')}"`
}

/** Puts a slot together from what its expressions came to. */
export function assemble(slot: CompiledSlot, worth: (index: number) => Worked): Resolved {
  switch (slot.kind) {
    case 'text':
      return {
        kind: 'text',
        text: slot.pieces.map((piece, i) => (typeof piece === 'string' ? piece : asText(worth(i)))).join(''),
      }
    case 'address':
      // a value is a part of the path or a parameter, never a slash or an ampersand of its own
      return {
        kind: 'text',
        text: slot.pieces
          .map((piece, i) => (typeof piece === 'string' ? piece : encodeURIComponent(asText(worth(i)))))
          .join(''),
      }
    case 'path': {
      let text = ''
      let pattern = ''
      slot.pieces.forEach((piece, i) => {
        const part = typeof piece === 'string' ? piece : textOf(piece, worth(i))
        text += part
        // a wildcard in a value is a letter of the name, unless the value is said to be a pattern
        pattern += typeof piece === 'string' || piece.use === 'pattern' ? part : escapeWildcards(part)
      })
      // most paths are plain at a glance, and there are many
      if (/\.\.|\0|^\/|^.:/.test(pattern)) storeSegments(pattern)
      return { kind: 'path', text, pattern }
    }
    case 'table':
      return assembleTable(slot, worth)
    case 'sql':
      return assembleSql(slot, worth)
  }
}

/** Dots in the written text part schema and table; dots inside a value are letters of the name. */
function assembleTable(slot: CompiledSlot, worth: (index: number) => Worked): Resolved {
  const parts = ['']
  slot.pieces.forEach((piece, i) => {
    if (typeof piece !== 'string') parts.push((parts.pop() ?? '') + asText(worth(i)))
    else {
      const [head = '', ...tail] = piece.split('.')
      parts.push((parts.pop() ?? '') + head, ...tail)
    }
  })
  if (parts.length > 2) fail('syntax', `"${slot.text}" has more than one dot; a table is schema.table`)
  const [schema, table] = parts.length === 2 ? [parts[0]!, parts[1]!] : [null, parts[0]!]
  return { kind: 'table', text: parts.join('.'), schema, table }
}

/**
 * Values become parameters. A point in time is bound as one: held against a `date` or a `timestamp` Postgres reads those
 * by the zone of the session, which is the job's on every road, and an assignment writes what that zone's clock shows.
 * Without the cast the column would give the parameter its own type, and drop the zone of the text (Postgres manual,
 * 8.5.1.3: "PostgreSQL will silently ignore any time zone indication" of a timestamp without time zone).
 */
function assembleSql(slot: CompiledSlot, worth: (index: number) => Worked): Resolved {
  const values: BoundValue[] = []
  const bind = (value: Worked, type?: string): string => {
    values.push(bindable(value))
    const own = type ?? (isMoment(value) ? 'timestamptz' : undefined)
    return `$${values.length}${own === undefined ? '' : `::${own}`}`
  }
  let before = ''
  const text = slot.pieces
    .map((piece, i) => {
      if (typeof piece === 'string') {
        before = piece
        return piece
      }
      const value = worth(i)
      const list = Array.isArray(value) ? (value as Worked[]) : [value]
      switch (piece.use) {
        case 'value':
          return bind(value, piece.writes ?? (isMoments(value) ? 'timestamptz[]' : undefined))
        case 'name':
          return list
            .map((part) => quoteName(wholeName(asText(part), piece.source, slot.tags?.[i] ?? '')))
            .join('.')
        case 'list': {
          const items = list.flatMap((item) => (Array.isArray(item) ? (item as Worked[]) : [item]))
          return items.length === 0 ? emptyList(before) : `(${items.map((item) => bind(item)).join(', ')})`
        }
        case 'raw':
        case 'pattern':
          return asText(list[0] ?? '')
      }
    })
    .join('')
  return { kind: 'sql', text, values }
}

/**
 * An empty list matches nothing, and `not in` one everything; (null), the only list SQL can write for it, would make
 * both unknown (SQL:2016 8.4).
 */
function emptyList(before: string): string {
  if (/\bnot\s+in\s*$/i.test(before)) return '(null) is not false'
  return /\bin\s*$/i.test(before) ? '(null) is true' : '(null)'
}

function wholeName(name: string, source: string, tag: string): string {
  if (name === '') fail('empty-value', `{${source}} is empty, and a name is built from it`)
  const bytes = nameBytes(name)
  if (bytes > mostBytes)
    fail('syntax', `"${name}" is ${bytes} bytes long; Postgres keeps ${mostBytes} and cuts the rest`)
  if (tag !== '' && name.includes(tag))
    fail('syntax', `"${name}" would end the text between dollars that it stands in; give that another ${tag}`)
  return name
}

const isMoment = (value: unknown): boolean => value instanceof Moment

const isMoments = (value: Worked): boolean =>
  Array.isArray(value) && value.length > 0 && value.every((item) => isMoment(item))

function bindable(value: Worked): BoundValue {
  if (value instanceof Moment) return value.toString()
  if (Array.isArray(value)) return value.map((item) => bindable(item as Worked))
  if (typeof value === 'bigint') return value.toString()
  return value as BoundValue
}
