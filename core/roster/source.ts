import type { Bindings, Compiled } from '../expression/cel'
import { unknownNames, unknownNameText, type KnownNames } from '../expression/names'
import { assemble, compileSlot, workOut, type BoundValue, type SlotKind } from '../text/slot'
import { fail, type Fault } from '../fault'
import type { RosterSpec } from '../job/roster'
import { escapeWildcards } from '../store/pattern'
import type { Table } from '../value'
import { patternTokens, type PatternPiece } from './filePattern'

/** Where the rows of a roster come from, with every text resolved. What reads it is the engine. */
export type RosterSource =
  | { readonly kind: 'control'; readonly name: string }
  | {
      readonly kind: 'query'
      readonly connection: string
      readonly text: string
      readonly values: readonly BoundValue[]
    }
  | {
      readonly kind: 'file'
      readonly store: string
      readonly pattern: string
      readonly reading: Omit<NonNullable<RosterSpec['file']>, 'store' | 'path'>
    }
  | {
      readonly kind: 'datasets'
      readonly named: string
      readonly connection: string | null
      readonly tag: string | null
    }
  | {
      readonly kind: 'files'
      readonly store: string
      readonly pieces: readonly PatternPiece[]
      readonly subfolders: boolean
    }

/** Names a source among those that were gathered. */
export const sourceId = (source: RosterSource): string => JSON.stringify(source)

/** What the engine read, by source; a fault where it could not be read. */
export type Gathered = ReadonlyMap<string, Table | Fault>

export const isFault = (found: Table | Fault): found is Fault => 'message' in found

export interface RosterContext {
  readonly compile: (source: string) => Compiled
  /** Bindings besides `row`. */
  readonly bindings: Bindings
  readonly known: KnownNames
  /** IANA zone in which times in names of files are read. */
  readonly zone: string
}

/**
 * The source of a roster; undefined for a range and for rows typed in, which need no reading.
 * @throws FaultError `unknown-name`, `syntax`, `template`, `expression`, `empty-value`, `outside-store`
 */
export function rosterSource(spec: RosterSpec, context: RosterContext): RosterSource | undefined {
  if (spec.control !== undefined) return { kind: 'control', name: spec.control }
  if (spec.query) {
    const connection = resolveText(spec.query.on, 'text', 'query.on', context)
    const query = resolveText(spec.query.text, 'sql', 'query.text', context)
    return {
      kind: 'query',
      connection: connection.text,
      text: query.text,
      values: query.kind === 'sql' ? query.values : [],
    }
  }
  if (spec.file) {
    const { store, path, ...reading } = spec.file
    const found = resolveText(path, 'path', 'file.path', context)
    return {
      kind: 'file',
      store: resolveText(store, 'text', 'file.store', context).text,
      pattern: found.kind === 'path' ? found.pattern : found.text,
      reading,
    }
  }
  if (spec.datasets) {
    const { named, connection, tag } = spec.datasets
    return { kind: 'datasets', named, connection: connection ?? null, tag: tag ?? null }
  }
  if (spec.files) {
    const { store, named, subfolders } = spec.files
    return {
      kind: 'files',
      store: resolveText(store, 'text', 'files.store', context).text,
      pieces: resolvePattern(named, context),
      subfolders,
    }
  }
  return undefined
}

/** A text of a roster, resolved. */
export function resolveText(text: string, kind: SlotKind, path: string, context: RosterContext) {
  const slot = compileSlot({ step: '', path, kind, text }, context.compile)
  for (const piece of slot.pieces) if (typeof piece !== 'string') checkNames(piece, context)
  return assemble(slot, (i) => workOut(slot.pieces[i] as Compiled, context.bindings))
}

function checkNames(compiled: Compiled, context: RosterContext): void {
  const [unknown] = unknownNames(compiled, context.known)
  if (!unknown) return
  const sliced = unknown.name.startsWith('slice')
  fail(
    'unknown-name',
    sliced
      ? `${unknown.name} is not known here: a roster is the same for all slices`
      : unknownNameText(unknown),
  )
}

/** Expressions in a pattern of files become text; the named parts stay. */
function resolvePattern(text: string, context: RosterContext): PatternPiece[] {
  return patternTokens(text).map((token) => {
    if (token.kind === 'literal') return token.text
    if (token.kind === 'part') return { part: token.part, format: token.format }
    const resolved = resolveText(`{${token.source}}`, 'text', 'files.named', context).text
    if (resolved === '') fail('empty-value', `{${token.source}} is empty, and a path is built from it`)
    return escapeWildcards(resolved)
  })
}

/** The expressions in a roster's own texts, as they are written, for finding out which names it uses. */
export function rosterExpressions(spec: RosterSpec): string[] {
  const texts = [
    spec.query?.on,
    spec.query?.text,
    spec.file?.store,
    spec.file?.path,
    spec.files?.store,
    spec.files?.named,
    spec.range?.from,
    spec.range?.to,
    spec.range?.step,
  ]
  const inTexts = texts.flatMap((text) =>
    typeof text === 'string'
      ? patternTokens(text).flatMap((token) => (token.kind === 'expression' ? [token.source] : []))
      : [],
  )
  return [...inTexts, ...(spec.where === undefined ? [] : [spec.where])]
}
