import { isMap, isNode, isPair, LineCounter, parseDocument, type Document } from 'yaml'
import { z } from 'zod'
import type { Fault } from '../fault'
import { didYouMean } from '../expression/nearest'

export interface ReadDocument<T> {
  /** Undefined where there are faults. */
  readonly value: T | undefined
  readonly faults: readonly Fault[]
  /** Line and column, from 1, of a path such as `parts.0.do.1.id`; of its nearest parent where it is not there. */
  place(path: string): { line: number; column: number }
}

/** A reader of YAML documents of one schema; every mistake carries its line and column. Never throws. */
export function documentReader<S extends z.ZodType>(schema: S): (text: string) => ReadDocument<z.output<S>> {
  const known = [...keysIn(z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' }))]
  return (text) => {
    if (text.length > mostLetters) return tooLong(text.length)
    const lines = new LineCounter()
    const document = parseDocument(text, { lineCounter: lines, prettyErrors: false, uniqueKeys: true })
    const at = (offset: number) => {
      const { line, col } = lines.linePos(offset)
      return { line: Math.max(line, 1), column: Math.max(col, 1) }
    }
    const place = (path: string) => at(offsetOf(document, path === '' ? [] : path.split('.')))
    const faults: Fault[] = document.errors.map((error) => ({
      code: 'yaml',
      message: error.message,
      where: { ...at(error.pos[0]), length: Math.max(1, error.pos[1] - error.pos[0]) },
    }))
    if (faults.length > 0) return { value: undefined, faults, place }
    let given: unknown
    try {
      // an alias of nothing, or of more than is good for anybody
      given = document.toJS()
    } catch (error) {
      const message = (error as Error).message
      return { value: undefined, faults: [{ code: 'yaml', message, where: { line: 1, column: 1 } }], place }
    }
    const checked = schema.safeParse(given)
    if (checked.success) return { value: checked.data, faults: [], place }
    return {
      value: undefined,
      faults: checked.error.issues.flatMap((issue) => issueFaults(issue, place, known)),
      place,
    }
  }
}

/** Letters of a document; the largest that anybody wrote by hand have a hundredth of it. */
const mostLetters = 1_000_000

/** What is too long is not even read: that alone would take its time. */
function tooLong(letters: number): ReadDocument<never> {
  const message = `a document of ${letters.toLocaleString('en')} letters; at most ${mostLetters.toLocaleString('en')} are read`
  const first = { line: 1, column: 1 }
  return { value: undefined, faults: [{ code: 'document', message, where: first }], place: () => first }
}

function issueFaults(
  issue: z.core.$ZodIssue,
  place: ReadDocument<unknown>['place'],
  known: readonly string[],
): Fault[] {
  const path = issue.path.join('.')
  if (issue.code === 'unrecognized_keys') {
    return issue.keys.map((key) => {
      const inside = path === '' ? key : `${path}.${key}`
      const message = `nothing here is called "${key}"${didYouMean(key, known)}`
      return { code: 'document', message, where: { path: inside, ...place(inside) } }
    })
  }
  const missing = issue.code === 'invalid_type' && /received undefined/.test(issue.message)
  const message = missing ? `"${String(issue.path.at(-1) ?? 'document')}" is missing` : plain(issue.message)
  return [{ code: 'document', message, where: { path, ...place(path) } }]
}

const plain = (message: string): string => message.charAt(0).toLowerCase() + message.slice(1)

/** Every key of a language, from its JSON Schema. */
function keysIn(schema: unknown, keys = new Set<string>()): Set<string> {
  if (typeof schema !== 'object' || schema === null) return keys
  const { properties } = schema as { properties?: unknown }
  if (typeof properties === 'object' && properties !== null)
    for (const key of Object.keys(properties)) keys.add(key)
  for (const below of Object.values(schema)) keysIn(below, keys)
  return keys
}

/** Start of the node at a path; of a key where the path ends at a pair. */
function offsetOf(document: Document, path: readonly string[]): number {
  let node: unknown = document.contents
  let offset = isNode(node) ? (node.range?.[0] ?? 0) : 0
  for (const part of path) {
    if (isMap(node)) {
      const pair = node.items.find((item) => isPair(item) && String(item.key) === part)
      if (!pair) break
      if (isNode(pair.key)) offset = pair.key.range?.[0] ?? offset
      node = pair.value
    } else if (isNode(node) && 'items' in node && Array.isArray(node.items)) {
      node = node.items[Number(part)]
      if (isNode(node)) offset = node.range?.[0] ?? offset
    } else break
  }
  return offset
}
