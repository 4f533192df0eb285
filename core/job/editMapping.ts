import { isMap, isNode, isScalar, isSeq, parseDocument, type Document, type Pair, type YAMLMap } from 'yaml'
import { fail } from '../fault'

type Path = readonly (string | number)[]

/** Path of a step in a document, by its id. @throws FaultError `unknown-name` */
function stepPath(document: Document, id: string): Path {
  const parts = document.get('parts')
  if (isSeq(parts)) {
    for (let p = 0; p < parts.items.length; p++) {
      for (const list of ['once', 'do']) {
        const steps = document.getIn(['parts', p, list])
        if (!isSeq(steps)) continue
        const at = steps.items.findIndex((step) => isMap(step) && step.get('id') === id)
        if (at >= 0) return ['parts', p, list, at]
      }
    }
  }
  return fail('unknown-name', `the document has no step "${id}"`)
}

const startOf = (pair: Pair): number => (isNode(pair.key) ? (pair.key.range?.[0] ?? 0) : 0)
/** Where an entry's text ends, without the line break that a block ends with. */
function endOf(text: string, pair: Pair): number {
  let end = isNode(pair.value) ? (pair.value.range?.[1] ?? 0) : startOf(pair)
  while (/\s/.test(text[end - 1] ?? '')) end--
  return end
}
const named = (pair: Pair, key: string): boolean => isScalar(pair.key) && pair.key.value === key

/** Sets one entry of a map within a text, or takes it out with null; not a letter else changes. */
function setPair(text: string, map: YAMLMap, key: string, value: string | null): string {
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
  const [first] = map.items
  if (!first)
    return `${text.slice(0, (map.range?.[0] ?? 0) + 1)} ${key}: ${value} ${text.slice((map.range?.[0] ?? 0) + 1)}`
  if (map.flow) {
    const end = endOf(text, map.items.at(-1)!)
    return `${text.slice(0, end)}, ${key}: ${value}${text.slice(end)}`
  }
  const start = startOf(first)
  const indent = ' '.repeat(start - text.lastIndexOf('\n', start) - 1)
  return `${text.slice(0, start)}${key}: ${value}\n${indent}${text.slice(start)}`
}

const plain = /^[A-Za-z_][A-Za-z0-9_]*$/
const reserved = /^(true|false|null|yes|no|on|off|y|n)$/i
const scalar = (value: string): string =>
  plain.test(value) && !reserved.test(value) ? value : JSON.stringify(value)

/** A map within the document. */
function mapAt(document: Document, path: Path): YAMLMap {
  const found = document.getIn(path)
  return isMap(found) ? (found as YAMLMap) : fail('document', `${path.join('.')} is not there`)
}

/**
 * Sets which source column goes into a target column, in the text of a job; everything else of the text stays letter by
 * letter. Null takes the entry away, so that the columns meet by their names again.
 */
export function setMapping(text: string, step: string, target: string, source: string | null): string {
  const document = parseDocument(text)
  const transfer = mapAt(document, [...stepPath(document, step), 'transfer'])
  const given = transfer.get('columns')
  const columns = new Map(isMap(given) ? Object.entries(given.toJSON() as Record<string, string>) : [])
  if (source === null) columns.delete(target)
  else columns.set(target, source)
  const list = [...columns].map(([to, from]) => `${scalar(to)}: ${scalar(from)}`).join(', ')
  return setPair(text, transfer, 'columns', columns.size === 0 ? null : `{ ${list} }`)
}

/** Sets what is done with columns that one side lacks; the usual way is not written. */
export function setPolicy(
  text: string,
  step: string,
  policy: 'unknown_columns' | 'missing_columns',
  value: string,
): string {
  const document = parseDocument(text)
  const into = mapAt(document, [...stepPath(document, step), 'transfer', 'into'])
  const usual = policy === 'unknown_columns' ? 'fail' : 'ignore'
  return setPair(text, into, policy, value === usual ? null : value)
}
