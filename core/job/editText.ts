import {
  isMap,
  isNode,
  isScalar,
  isSeq,
  parseDocument,
  type Document,
  type Pair,
  type YAMLMap,
  type YAMLSeq,
} from 'yaml'
import { fail } from '../fault'

/** Keys and places in lists, from the document's root. */
export type Path = readonly (string | number)[]

const startOf = (pair: Pair): number => (isNode(pair.key) ? (pair.key.range?.[0] ?? 0) : 0)

/** Where an entry's text ends, without the line break that a block ends with. */
function endOf(text: string, pair: Pair): number {
  let end = isNode(pair.value) ? (pair.value.range?.[1] ?? 0) : startOf(pair)
  if (end <= startOf(pair)) end = text.indexOf(':', startOf(pair)) + 1
  while (/\s/.test(text[end - 1] ?? '')) end--
  return end
}

const named = (pair: Pair, key: string): boolean => isScalar(pair.key) && String(pair.key.value) === key

const columnOf = (text: string, offset: number): number => offset - text.lastIndexOf('\n', offset - 1) - 1

/** Sets one entry of a map within a text, or takes it out with null; not a letter else changes. */
export function setPair(text: string, map: YAMLMap, key: string, value: string | null): string {
  const at = map.items.findIndex((pair) => named(pair, key))
  const pair = map.items[at]
  if (pair && value !== null)
    return `${text.slice(0, startOf(pair))}${key}: ${value}${text.slice(endOf(text, pair))}`
  if (pair) {
    const next = map.items[at + 1]
    const before = map.items[at - 1]
    if (next) return text.slice(0, startOf(pair)) + text.slice(startOf(next))
    if (map.flow)
      return text.slice(0, before ? endOf(text, before) : startOf(pair)) + text.slice(endOf(text, pair))
    const line = text.lastIndexOf('\n', startOf(pair))
    const end = text.indexOf('\n', endOf(text, pair) - 1)
    return text.slice(0, line) + (end < 0 ? '' : text.slice(end))
  }
  if (value === null) return text
  const [first, second] = map.items
  if (!first)
    return `${text.slice(0, (map.range?.[0] ?? 0) + 1)} ${key}: ${value} ${text.slice((map.range?.[0] ?? 0) + 1)}`
  if (map.flow) {
    const end = endOf(text, map.items.at(-1)!)
    return `${text.slice(0, end)}, ${key}: ${value}${text.slice(end)}`
  }
  // behind the first entry, which names the thing
  const start = startOf(second ?? first)
  const indent = ' '.repeat(columnOf(text, start))
  return `${text.slice(0, start)}${key}: ${value}\n${indent}${text.slice(start)}`
}

const plain = /^[A-Za-z_][A-Za-z0-9_./-]*$/
const reserved = /^(true|false|null|yes|no|on|off|y|n)$/i

/** A value as YAML within a line. */
export function flowText(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(flowText).join(', ')}]`
  if (typeof value === 'object' && value !== null) {
    const pairs = Object.entries(value)
      .filter(([, inner]) => inner !== undefined)
      .map(([key, inner]) => `${flowText(key)}: ${flowText(inner)}`)
    return pairs.length === 0 ? '{}' : `{ ${pairs.join(', ')} }`
  }
  if (typeof value === 'string')
    return plain.test(value) && !reserved.test(value) ? value : JSON.stringify(value)
  return String(value ?? null)
}

/** A value as it stands behind a key: texts of several lines as a literal block, where the map around is no flow map. */
function behindKey(value: unknown, map: YAMLMap, text: string): string {
  const [first] = map.items
  const lines = typeof value === 'string' ? value.replace(/\s+$/, '').split('\n') : []
  // a literal cannot begin with a blank, and keeps no other blanks at its lines' ends than it has
  if (map.flow || !first || lines.length < 2 || /^\s/.test(lines[0]!) || /\t/.test(String(value)))
    return flowText(value)
  const indent = ' '.repeat(columnOf(text, startOf(first)) + 2)
  return `|\n${lines.map((line) => (line === '' ? '' : indent + line)).join('\n')}`
}

/** Takes out what stands at a path, and leaves the map around it, even where it is empty then. */
export function clearAt(text: string, path: Path): string {
  const around = path.slice(0, -1)
  const entries = Object.entries((valueAt(text, around) ?? {}) as object)
  const only = entries.length === 1 && entries[0]![0] === String(path.at(-1))
  return only && around.length > 0 ? setAt(text, around, {}) : setAt(text, path, undefined)
}

/** Takes out a map that was left empty, and those around it that are empty then. */
export function tidyAt(text: string, path: Path): string {
  const left = path.length === 0 ? undefined : valueAt(text, path)
  const empty =
    typeof left === 'object' && left !== null && !Array.isArray(left) && Object.keys(left).length === 0
  return empty ? setAt(text, path, undefined) : text
}

/**
 * Sets the value at a path of a document, or takes it out with undefined; everything else of the text stays letter by
 * letter. Maps on the way that are not there are made; one that would be left empty goes with its last entry.
 * @throws FaultError `document` where the path leads through something that is no map or list
 */
export function setAt(text: string, path: Path, value: unknown): string {
  const document = parseDocument(text)
  let node: unknown = document.contents
  for (const [depth, key] of path.entries()) {
    const last = depth === path.length - 1
    if (isMap(node)) {
      const map = node as YAMLMap
      const pair = map.items.find((item) => named(item, String(key)))
      if (value === undefined) {
        if (!pair) return text
        if (last)
          return map.items.length === 1 && depth > 0
            ? setAt(text, path.slice(0, -1), undefined)
            : setPair(text, map, String(key), null)
      } else if (last) return setPair(text, map, String(key), behindKey(value, map, text))
      else if (!pair || (isScalar(pair.value) && pair.value.value === null)) {
        const rest = path.slice(depth + 1)
        const whole = rest.reduceRight<unknown>((inner, name) => ({ [name]: inner }), value)
        return setPair(text, map, String(key), flowText(whole))
      }
      node = pair!.value
    } else if (isSeq(node)) {
      const item: unknown = (node as YAMLSeq).items[Number(key)]
      if (item === undefined) return fail('document', `${path.slice(0, depth + 1).join('.')} is not there`)
      if (last) {
        if (value === undefined) return removeItem(text, path.slice(0, -1), Number(key))
        const [start, end] = isNode(item) ? (item.range ?? [0, 0]) : [0, 0]
        return text.slice(0, start) + flowText(value) + text.slice(end)
      }
      node = item
    } else
      return value === undefined ? text : fail('document', `${path.slice(0, depth).join('.')} is not there`)
  }
  return text
}

/** What stands at a path, as plain values; undefined where nothing does, or the text cannot be read. */
export function valueAt(text: string, path: Path): unknown {
  const document = parseDocument(text)
  if (document.errors.length > 0) return undefined
  const found = document.getIn(path)
  return isNode(found) ? found.toJS(document) : found
}

function listAt(document: Document, path: Path): YAMLSeq {
  const found = document.getIn(path)
  return isSeq(found) ? (found as YAMLSeq) : fail('document', `${path.join('.')} is no list`)
}

/** Where the text of an item of a block list begins and ends: whole lines, with the comments right above it. */
function blockOf(text: string, list: YAMLSeq, at: number): { start: number; end: number; indent: number } {
  const start = beginOf(text, list, at)
  const next = list.items[at + 1]
  const own = list.items[at]
  let end =
    next === undefined ? (isNode(own) ? (own.range?.[1] ?? start) : start) : beginOf(text, list, at + 1)
  if (next === undefined) {
    while (end > start && /\s/.test(text[end - 1]!)) end--
    const line = text.indexOf('\n', end)
    end = line < 0 ? text.length : line + 1
  }
  return { start, end, indent: dashOf(text, list, at).column }
}

function dashOf(text: string, list: YAMLSeq, at: number): { offset: number; column: number } {
  const item = list.items[at]
  const offset = text.lastIndexOf('-', (isNode(item) ? (item.range?.[0] ?? 0) : 0) - 1)
  return { offset, column: columnOf(text, offset) }
}

function beginOf(text: string, list: YAMLSeq, at: number): number {
  const { offset, column } = dashOf(text, list, at)
  let begin = offset - column
  for (;;) {
    const above = text.lastIndexOf('\n', begin - 2) + 1
    const line = text.slice(above, Math.max(0, begin - 1))
    if (above >= begin || !new RegExp(`^ {${column}}#`).test(line)) return begin
    begin = above
  }
}

/** A flow list as a block list, so that its items are lines. */
function asBlock(text: string, path: Path): string {
  const document = parseDocument(text)
  const list = listAt(document, path)
  if (!list.flow) return text
  const [start, end] = list.range ?? [0, 0]
  const indent = text.slice(text.lastIndexOf('\n', start - 1) + 1).search(/[^ -]/)
  const lines = list.items.map((item) => {
    const [from, to] = isNode(item) ? (item.range ?? [0, 0]) : [0, 0]
    return `\n${' '.repeat(indent + 2)}- ${text.slice(from, to).trim()}`
  })
  return text.slice(0, start).trimEnd() + lines.join('') + text.slice(end)
}

/** Puts an item, written as lines of YAML, into a list. */
export function insertItem(text: string, path: Path, at: number, item: string): string {
  const whole = asBlock(text, path)
  const list = listAt(parseDocument(whole), path)
  const last = list.items.length - 1
  const near = blockOf(whole, list, Math.min(at, last))
  const offset = at <= last ? near.start : near.end
  const lines = item.replace(/\n+$/, '').split('\n')
  const block = lines
    .map((line, i) => (line === '' ? '' : `${' '.repeat(near.indent)}${i === 0 ? '- ' : '  '}${line}`))
    .join('\n')
  const glue = offset > 0 && whole[offset - 1] !== '\n' ? '\n' : ''
  return `${whole.slice(0, offset)}${glue}${block}\n${whole.slice(offset)}`
}

/** The lines of an item of a list, without its dash and its indentation. */
export function itemText(text: string, path: Path, at: number): string {
  const whole = asBlock(text, path)
  const list = listAt(parseDocument(whole), path)
  const { start, end, indent } = blockOf(whole, list, at)
  const lines = whole.slice(start, end).replace(/\n+$/, '').split('\n')
  // comments above the dash go along, behind it
  const dash = lines.findIndex((line) => line.slice(indent).startsWith('-'))
  return [
    ...lines
      .slice(dash)
      .map((line, i) => line.slice(i === 0 ? indent + 2 : Math.min(indent + 2, line.search(/\S|$/)))),
  ].join('\n')
}

/** Takes an item out of a list; its comments go with it. */
export function removeItem(text: string, path: Path, at: number): string {
  const whole = asBlock(text, path)
  const list = listAt(parseDocument(whole), path)
  if (list.items.length === 1) return setAt(text, path, undefined)
  const { start, end } = blockOf(whole, list, at)
  return whole.slice(0, start) + whole.slice(end)
}
