import { isMap, isNode, isPair, LineCounter, parseDocument, type Document } from 'yaml'
import { z } from 'zod'
import type { Fault } from '../fault'
import { didYouMean } from '../expression/nearest'
import { missing } from '../issueWords'
import { some } from '../text/someOf'
import { keysAt } from './keysAt'

export interface ReadDocument<T> {
  /** Undefined where there are faults. */
  readonly value: T | undefined
  readonly faults: readonly Fault[]
  /** Line and column, from 1, of a path such as `parts.0.do.1.id`; of its nearest parent where it is not there. */
  place(path: string): { line: number; column: number }
}

/**
 * A reader of YAML documents of one schema, of so many letters at most; the largest jobs that anybody wrote by hand have a
 * twentieth of it. Every mistake carries its line and column. Never throws.
 */
export function documentReader<S extends z.ZodType>(
  schema: S,
  mostLetters = 200_000,
): (text: string) => ReadDocument<z.output<S>> {
  const language = z.toJSONSchema(schema, { io: 'input', unrepresentable: 'any' })
  return (text) => {
    if (text.length > mostLetters) return tooLong(text.length, mostLetters)
    const lines = new LineCounter()
    const document = parseDocument(text, { lineCounter: lines, prettyErrors: false, uniqueKeys: true })
    const at = (offset: number) => {
      const { line, col } = lines.linePos(offset)
      return { line: Math.max(line, 1), column: Math.max(col, 1) }
    }
    const place = (path: string) => at(offsetOf(document, path === '' ? [] : path.split('.')))
    const faults = most(document.errors, (error) => [
      {
        code: 'yaml',
        message: inWords(error.message),
        where: { ...at(error.pos[0]), length: Math.max(1, error.pos[1] - error.pos[0]) },
      },
    ])
    if (faults.length > 0) return { value: undefined, faults, place }
    let given: unknown
    try {
      // an alias of nothing, or of more than is good for anybody
      given = document.toJS()
    } catch (error) {
      const message = inWords((error as Error).message)
      return { value: undefined, faults: [{ code: 'yaml', message, where: { line: 1, column: 1 } }], place }
    }
    const refused = refusedNames(given)
    if (refused.length > 0)
      return { value: undefined, faults: most(refused, (path) => [{ code: 'document', message: refusal, where: { path, ...place(path) } }]), place } // prettier-ignore
    const checked = schema.safeParse(given)
    if (checked.success) return { value: checked.data, faults: [], place }
    return {
      value: undefined,
      faults: most(oneByOne(checked.error.issues), (issue) => issueFaults(issue, place, language)),
      place,
    }
  }
}

const refusal =
  'nothing here can be called "__proto__": every object has something of that name, and what is written there would be lost'

/** Paths of keys that no object can have as one of its own without more ado: a schema leaves them out in silence. */
function refusedNames(given: unknown): string[] {
  const found: string[] = []
  const seen = new Set<unknown>()
  const open: (readonly [value: unknown, path: string])[] = [[given, '']]
  for (let next = open.pop(); next; next = open.pop()) {
    const [value, path] = next
    if (typeof value !== 'object' || value === null || seen.has(value)) continue
    seen.add(value)
    for (const key of Object.keys(value)) {
      const own = path === '' ? key : `${path}.${key}`
      if (key === '__proto__') found.push(own)
      else open.push([(value as Record<string, unknown>)[key], own])
    }
  }
  return found
}

/** Mistakes that are placed and told; nobody reads more, and each takes its time. */
const mostFaults = 200

/** The faults of the first things that are wrong, and how many more there are. */
function most<T>(wrong: readonly T[], faultsOf: (one: T) => Fault[]): Fault[] {
  const faults = wrong.slice(0, mostFaults).flatMap(faultsOf)
  const more = wrong.length - mostFaults
  if (more > 0) {
    const message = `${more.toLocaleString('en')} more mistakes are not listed; mend the first ones and look again`
    faults.push({ code: 'document', message, where: faults.at(-1)?.where ?? {} })
  }
  return faults
}

/** Many unknown keys are one issue: an issue of each. */
const oneByOne = (issues: readonly z.core.$ZodIssue[]): z.core.$ZodIssue[] =>
  issues.flatMap((issue): z.core.$ZodIssue[] =>
    issue.code === 'unrecognized_keys' ? issue.keys.map((key) => ({ ...issue, keys: [key] })) : [issue],
  )

/** The end of a stack is no word of YAML. */
const inWords = (message: string): string =>
  /call stack/.test(message) ? 'lists or maps inside each other this deeply cannot be read' : message

/** What is too long is not even read: that alone would take its time. */
function tooLong(letters: number, mostLetters: number): ReadDocument<never> {
  const message = `a document of ${letters.toLocaleString('en')} letters; at most ${mostLetters.toLocaleString('en')} are read`
  const first = { line: 1, column: 1 }
  return { value: undefined, faults: [{ code: 'document', message, where: first }], place: () => first }
}

function issueFaults(
  issue: z.core.$ZodIssue,
  place: ReadDocument<unknown>['place'],
  language: unknown,
): Fault[] {
  const path = issue.path.join('.')
  if (issue.code === 'unrecognized_keys') {
    return issue.keys.map((key) => {
      const inside = path === '' ? key : `${path}.${key}`
      const known = keysAt(language, issue.path)
      const near = didYouMean(key, known)
      const message = `nothing here is called "${key}"${near || (known.length > 0 ? `; what may stand here: ${some(known, 12)}` : '')}`
      return { code: 'document', message, where: { path: inside, ...place(inside) } }
    })
  }
  const message =
    issue.message === missing
      ? `"${String(issue.path.at(-1) ?? 'document')}" is missing`
      : plain(issue.message)
  return [{ code: 'document', message, where: { path, ...place(path) } }]
}

const plain = (message: string): string => message.charAt(0).toLowerCase() + message.slice(1)

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
