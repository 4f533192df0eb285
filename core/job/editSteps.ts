import { isMap, isSeq, parseDocument } from 'yaml'
import { fail } from '../fault'
import { someNames, type Beginnings } from './beginnings'
import { leaveOrder, setBehind } from './editOrder'
import { flowText, insertItem, itemText, removeItem, setAt, type Path } from './editText'
import { stepDefinition, type StepKind } from './steps'

export interface StepPlace {
  readonly part: number
  readonly list: 'once' | 'do'
  readonly at: number
}

interface PartSteps {
  readonly list: 'once' | 'do'
  readonly ids: readonly string[]
}

/** The parts of a document with the ids of their steps; empty where it cannot be read. */
function partsOf(text: string): PartSteps[] {
  const parts = parseDocument(text).get('parts')
  if (!isSeq(parts)) return []
  return parts.items.map((part) => {
    const list = isMap(part) && part.has('once') ? 'once' : 'do'
    const steps = isMap(part) ? part.get(list) : undefined
    return {
      list,
      ids: isSeq(steps) ? steps.items.map((step) => (isMap(step) ? String(step.get('id')) : '')) : [],
    }
  })
}

/** Where a step stands. @throws FaultError `unknown-name` */
export function placeOf(text: string, id: string): StepPlace {
  for (const [part, { list, ids }] of partsOf(text).entries()) {
    const at = ids.indexOf(id)
    if (at >= 0) return { part, list, at }
  }
  return fail('unknown-name', `the document has no step "${id}"`)
}

/** Path of a step in the document. @throws FaultError `unknown-name` */
export function pathOfStep(text: string, id: string): Path {
  const { part, list, at } = placeOf(text, id)
  return ['parts', part, list, at]
}

/** A name that no step has yet: `load`, `load-2` … */
export function freeId(text: string, wanted: string): string {
  const known = new Set(partsOf(text).flatMap(({ ids }) => ids))
  for (let n = 1; ; n++) {
    const id = n === 1 ? wanted : `${wanted}-${n}`
    if (!known.has(id)) return id
  }
}

/** A new step of a kind, as it is written into the document. */
const freshStep = (kind: StepKind, id: string, names: Beginnings): string =>
  `id: ${id}\n${kind}:\n${stepDefinition(kind)
    .fresh(names)
    .split('\n')
    .map((line) => `  ${line}`)
    .join('\n')}`

/** Puts a new step of a kind into a part, at a place among its steps. */
export function addStep(
  text: string,
  part: number,
  at: number,
  kind: StepKind,
  names: Beginnings = someNames,
): { text: string; id: string } {
  const id = freeId(text, stepDefinition(kind).firstId)
  const { list } = partsOf(text)[part] ?? fail('document', `there is no part ${part + 1}`)
  return { id, text: insertItem(text, ['parts', part, list], at, freshStep(kind, id, names)) }
}

/** Takes a step out; with the last of a part the part goes. */
export function removeStep(text: string, id: string): string {
  const { part, list, at } = placeOf(text, id)
  const { ids } = partsOf(text)[part]!
  return ids.length === 1
    ? removePart(text, part)
    : removeItem(leaveOrder(text, id), ['parts', part, list], at)
}

/**
 * Moves a step to a place among the steps of a part, counted before it is moved.
 * @throws FaultError `document` for the only step of a part: a part cannot be without one
 */
export function moveStep(
  text: string,
  id: string,
  to: { readonly part: number; readonly at: number },
): string {
  const from = placeOf(text, id)
  const parts = partsOf(text)
  const target = parts[to.part] ?? fail('document', `there is no part ${to.part + 1}`)
  if (from.part === to.part && (to.at === from.at || to.at === from.at + 1)) return text
  if (from.part !== to.part && parts[from.part]!.ids.length === 1)
    fail('document', 'it is the only step of its part; take the part out, or put another step in first')
  // what it waits for stays behind, and so does who waits for it
  const left = from.part === to.part ? text : setBehind(leaveOrder(text, id), id)
  const item = itemText(left, ['parts', from.part, from.list], from.at)
  const inserted = insertItem(left, ['parts', to.part, target.list], to.at, item)
  // in its own list the old one stands one further down where the new one came above it
  const old = from.part === to.part && to.at <= from.at ? from.at + 1 : from.at
  return removeItem(inserted, ['parts', from.part, from.list], old)
}

/** The step once more, below itself, under another name. */
export function duplicateStep(text: string, id: string): { text: string; id: string } {
  const { part, list, at } = placeOf(text, id)
  const copy = freeId(text, id.replace(/-\d+$/, ''))
  const path = ['parts', part, list]
  const inserted = insertItem(text, path, at + 1, itemText(text, path, at))
  return { id: copy, text: setAt(inserted, [...path, at + 1, 'id'], copy) }
}

export function setOff(text: string, id: string, off: boolean): string {
  return setAt(text, [...pathOfStep(text, id), 'off'], off ? true : undefined)
}

/** Puts a new part with one step in, at a place among the parts. */
export function addPart(
  text: string,
  at: number,
  kind: 'once' | 'each',
  step: StepKind,
  names: Beginnings = someNames,
): { text: string; id: string } {
  const id = freeId(text, stepDefinition(step).firstId)
  const lines = freshStep(step, id, names).split('\n')
  const steps = lines.map((line, i) => `  ${i === 0 ? '- ' : '  '}${line}`).join('\n')
  const part =
    kind === 'once' ? `once:\n${steps}` : `each: { roster: { rows: [{ name: first }] } }\ndo:\n${steps}`
  return { id, text: insertItem(text, ['parts'], at, part) }
}

/** @throws FaultError `document` for the only part */
export function removePart(text: string, part: number): string {
  if (partsOf(text).length === 1) fail('document', 'a job needs a part; this is its only one')
  return removeItem(text, ['parts'], part)
}

/** Moves a part to a place among the parts, counted before it is moved. */
export function movePart(text: string, from: number, to: number): string {
  if (to === from || to === from + 1) return text
  const inserted = insertItem(text, ['parts'], to, itemText(text, ['parts'], from))
  return removeItem(inserted, ['parts'], to <= from ? from + 1 : from)
}

/**
 * Makes the steps from one on a part of their own, behind theirs, with the same roster.
 * @throws FaultError `document` for the first step of a part
 */
export function splitPart(text: string, id: string): string {
  const { part, list, at } = placeOf(text, id)
  if (at === 0) fail('document', 'its part begins with this step already')
  const { ids } = partsOf(text)[part]!
  let next = insertItem(text, ['parts'], part + 1, itemText(text, ['parts'], part))
  for (let i = 0; i < at; i++) next = removeItem(next, ['parts', part + 1, list], 0)
  for (let i = ids.length - 1; i >= at; i--) next = removeItem(next, ['parts', part, list], i)
  return next
}

/** A document for a job of another name, otherwise letter by letter the same. */
export function copyJob(text: string, name: string, title: string): string {
  return setAt(setAt(text, ['name'], name), ['title'], title)
}

/** The document of a new job. */
export const newJob = (name: string, title: string, names: Beginnings = someNames): string => `mattock: job/1
name: ${flowText(name)}
title: ${flowText(title)}
parts:
  - each:
      roster:
        rows:
          - { name: first }
    do:
${freshStep('transfer', 'bring-in', names)
  .split('\n')
  .map((line, i) => `      ${i === 0 ? '- ' : '  '}${line}`)
  .join('\n')}
`
