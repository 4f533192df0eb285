import { isMap, isScalar, isSeq, parseDocument, type Node } from 'yaml'
import { connectionKinds, connectorOf, type ConnectionKind } from '../connection/connection'
import { jobJsonSchema } from './document'

/** What could stand at a place of a document. */
export interface Offer {
  /** Offsets in the text that an option takes the place of. */
  readonly from: number
  readonly to: number
  readonly options: readonly OfferOption[]
}

export interface OfferOption {
  readonly label: string
  /** What it is, from the schema. */
  readonly says: string | undefined
  /** What is put in. */
  readonly text: string
}

/** Names of the place where the document is written, offered where it takes one of them. */
export interface OfferedNames {
  readonly connections: Readonly<Record<ConnectionKind, readonly string[]>>
  readonly controls: readonly string[]
  /** What an expression may name here: `row.kind`, `slice.from`, functions. */
  readonly expressions: readonly string[]
}

/** What is offered where a text names something; tables are not known here. */
function namedOffers(
  named: string,
  names: OfferedNames,
): { list: readonly string[]; says: string } | undefined {
  if (named === 'control') return { list: names.controls, says: 'a control table' }
  const kind = connectionKinds.find((one) => one === named)
  return kind && { list: names.connections[kind], says: connectorOf(kind).words }
}

interface Schema {
  readonly $ref?: string
  readonly type?: string
  readonly description?: string
  readonly properties?: Readonly<Record<string, Schema>>
  readonly additionalProperties?: Schema | boolean
  readonly items?: Schema
  readonly anyOf?: readonly Schema[]
  readonly oneOf?: readonly Schema[]
  readonly allOf?: readonly Schema[]
  readonly enum?: readonly unknown[]
  readonly const?: unknown
  readonly $defs?: Readonly<Record<string, Schema>>
  /** What a text names (FieldMeta). */
  readonly 'x-names'?: string
}

const root = jobJsonSchema({ marks: true }) as Schema

/** A schema's alternatives, references followed. */
function alternatives(schema: Schema | undefined): Schema[] {
  if (!schema) return []
  const own: Schema[] = schema.properties || schema.items || schema.enum || schema.const !== undefined || schema.type ? [schema] : [] // prettier-ignore
  const referred = schema.$ref === undefined ? undefined : schema.$ref === '#' ? root : root.$defs?.[schema.$ref.replace('#/$defs/', '')] // prettier-ignore
  return [
    ...own,
    ...alternatives(referred),
    ...[...(schema.anyOf ?? []), ...(schema.oneOf ?? []), ...(schema.allOf ?? [])].flatMap(alternatives),
  ]
}

/** The schemas that hold at a path of the document. */
function schemasAt(path: readonly (string | number)[]): Schema[] {
  let now = alternatives(root)
  for (const key of path)
    now = now.flatMap((schema) => {
      if (typeof key === 'number') return alternatives(schema.items)
      const other = typeof schema.additionalProperties === 'object' ? schema.additionalProperties : undefined
      return alternatives(schema.properties?.[key] ?? other)
    })
  return now
}

const mark = 'zzhere'

/** Path of the marked node, and the keys of the map that it stands in. */
function markedPlace(text: string): { path: (string | number)[]; beside: string[] } | undefined {
  const look = (node: unknown, path: (string | number)[]): ReturnType<typeof markedPlace> => {
    if (isMap(node)) {
      const keys = node.items.map(({ key }) => (isScalar(key) ? String(key.value) : ''))
      for (const { key, value } of node.items) {
        const name = isScalar(key) ? String(key.value) : ''
        if (name === mark) return { path, beside: keys.filter((one) => one !== mark) }
        const found = look(value, [...path, name])
        if (found) return found
      }
    } else if (isSeq(node)) {
      for (const [i, item] of node.items.entries()) {
        const found = look(item, [...path, i])
        if (found) return found
      }
    } else if (isScalar(node as Node) && (node as { value?: unknown }).value === mark)
      return { path, beside: [] }
    return undefined
  }
  return look(parseDocument(text, { strict: false, uniqueKeys: false }).contents, [])
}

/**
 * What could stand at an offset of a job document that is being written: keys and values by its JSON Schema, names of
 * connections and control tables, and within braces what an expression may name. Undefined where nothing is known.
 */
export function offerAt(text: string, offset: number, names: OfferedNames): Offer | undefined {
  const start = text.lastIndexOf('\n', offset - 1) + 1
  const end = text.indexOf('\n', offset) < 0 ? text.length : text.indexOf('\n', offset)
  const before = text.slice(start, offset)
  if (/(^|\s)#/.test(before)) return undefined
  // a brace within a text opens an expression; one at the start of a value or an entry opens a map
  if (/[^\s:,[{-]\s*\{[^{}]*$|["']\{[^{}]*$/.test(before) && !/\{\{[^{}]*$/.test(before)) {
    const word = /[\w.["-]*$/.exec(before)![0]
    const known = names.expressions.map((name) => ({ label: name, says: undefined, text: name }))
    return offered(offset - word.length, offset, word, known)
  }
  const word = /[\w-]*$/.exec(before)![0]
  const from = offset - word.length
  const to = offset + /^[\w-]*/.exec(text.slice(offset, end))![0].length
  const lead = before.slice(0, before.length - word.length)
  const after = text.slice(to)
  if (/:\s+["']?$/.test(lead)) {
    const place = markedPlace(text.slice(0, from) + mark + after)
    return place && offered(from, to, word, valuesAt(place.path, names))
  }
  if (!/(^\s*(-\s+)*|[{,[]\s*)$/.test(lead)) return undefined
  // a key, where a map stands or could begin; else an entry of a list
  const colon = /^\s*:/.test(after)
  const asKey = markedPlace(`${text.slice(0, from)}${mark}${colon ? '' : ': x'}${after}`)
  const keys = asKey ? keysAt(asKey.path, asKey.beside, colon) : []
  if (keys.length > 0) return offered(from, to, word, keys)
  const asValue = markedPlace(text.slice(0, from) + mark + after)
  return asValue && offered(from, to, word, valuesAt(asValue.path, names))
}

function keysAt(
  path: readonly (string | number)[],
  beside: readonly string[],
  colon: boolean,
): OfferOption[] {
  const options = new Map<string, OfferOption>()
  for (const { properties } of schemasAt(path))
    for (const [name, schema] of Object.entries(properties ?? {}))
      if (!beside.includes(name) && !options.has(name))
        options.set(name, {
          label: name,
          says:
            schema.description ?? alternatives(schema).find(({ description }) => description)?.description,
          text: colon ? name : `${name}: `,
        })
  return [...options.values()]
}

function valuesAt(path: readonly (string | number)[], names: OfferedNames): OfferOption[] {
  const plain = (list: readonly string[], says?: string): OfferOption[] =>
    list.map((label) => ({ label, says, text: label }))
  const named = schemasAt(path).find((schema) => schema['x-names'])?.['x-names']
  const offers = named === undefined ? undefined : namedOffers(named, names)
  if (offers) return plain(offers.list, offers.says)
  const known = schemasAt(path).flatMap((schema) => [
    ...(schema.enum ?? []),
    ...(schema.const === undefined ? [] : [schema.const]),
    ...(schema.type === 'boolean' ? [true, false] : []),
  ])
  return plain([...new Set(known.map(String))])
}

/** Those that begin with what is typed, then those that hold it. */
function offered(from: number, to: number, typed: string, all: readonly OfferOption[]): Offer | undefined {
  const low = typed.toLowerCase()
  const begin = all.filter(({ label }) => label.toLowerCase().startsWith(low))
  const hold = all.filter((option) => !begin.includes(option) && option.label.toLowerCase().includes(low))
  const options = [...begin, ...hold]
  return options.length === 0 ? undefined : { from, to, options }
}
