import { parseDocument, isMap, isSeq } from 'yaml'
import { fail } from '../fault'
import { setAt, type Path } from './editText'
import { stepDefinition, stepKinds } from './steps'

interface StepOrder {
  readonly id: string
  /** What its text says; undefined for the one before it. */
  readonly after: readonly string[] | undefined
}

/** Where a step stands among those of its part, and what they say of their order. */
function stepsAround(text: string, id: string): { path: Path; at: number; steps: StepOrder[] } {
  const parts = parseDocument(text).get('parts')
  for (const [part, one] of (isSeq(parts) ? parts.items : []).entries()) {
    if (!isMap(one)) continue
    const list = one.has('once') ? 'once' : 'do'
    const steps = one.get(list)
    const all = (isSeq(steps) ? steps.items : []).map((step): StepOrder => {
      const after = isMap(step) ? step.get('after') : undefined
      return {
        id: isMap(step) ? String(step.get('id')) : '',
        after: isSeq(after) ? (after.toJSON() as unknown[]).map(String) : undefined,
      }
    })
    const at = all.findIndex((step) => step.id === id)
    if (at >= 0) return { path: ['parts', part, list], at, steps: all }
  }
  return fail('unknown-name', `the document has no step "${id}"`)
}

/** What a step waits for, by what is said and what holds where nothing is. */
const afterOf = (steps: readonly StepOrder[], at: number): readonly string[] =>
  steps[at]!.after ?? (at > 0 ? [steps[at - 1]!.id] : [])

/**
 * Lets a step run beside the one above it: it waits for what that one waits for, and what came after it waits for both.
 * @throws FaultError `document` for the first step of a part
 */
export function setBeside(text: string, id: string): string {
  const { path, at, steps } = stepsAround(text, id)
  if (at === 0) fail('document', 'nothing stands above it in its part that it could run beside')
  const next = steps[at + 1]
  let changed = text
  // from below, so that no place moves
  if (next && next.after === undefined) {
    const beside = steps
      .slice(0, at)
      .filter((_, one) => sameList(afterOf(steps, one), afterOf(steps, at - 1)))
    changed = setAt(changed, [...path, at + 1, 'after'], [...beside.map((step) => step.id), id])
  }
  return setAt(changed, [...path, at, 'after'], [...afterOf(steps, at - 1)])
}

/** Lets a step wait for the one above it again, as where nothing is said. */
export function setBehind(text: string, id: string): string {
  const { path, at } = stepsAround(text, id)
  return setAt(text, [...path, at, 'after'], undefined)
}

/** Takes a step out of what others wait for: they wait for what it waited for. */
export function leaveOrder(text: string, id: string): string {
  const { path, at, steps } = stepsAround(text, id)
  const instead = afterOf(steps, at)
  return steps.reduceRight((changed, { after }, one) => {
    if (!after?.includes(id)) return changed
    const list = [...new Set(after.flatMap((name) => (name === id ? instead : name)))]
    return setAt(changed, [...path, one, 'after'], list.length > 0 || one === 0 ? list : undefined)
  }, text)
}

/** Gives a step another name, where others wait for it, too. */
export function renameStep(text: string, id: string, to: string): string {
  const { path, at, steps } = stepsAround(text, id)
  const renamed = steps.reduceRight(
    (changed, { after }, one) =>
      after?.includes(id)
        ? setAt(changed, [...path, one, 'after'], after.map((name) => (name === id ? to : name)))
        : changed,
    text,
  ) // prettier-ignore
  return listsNaming(renamed, id).reduce(
    (changed, list) => setAt(changed, list.path, list.ids.map((name) => (name === id ? to : name))),
    setAt(renamed, [...path, at, 'id'], to),
  ) // prettier-ignore
}

/** The lists of steps within steps of any part that name one, such as those that cover what is taken away. */
function listsNaming(text: string, id: string): { path: Path; ids: string[] }[] {
  const document = parseDocument(text)
  const parts = document.get('parts')
  return (isSeq(parts) ? parts.items : []).flatMap((part, p) => {
    const list = isMap(part) && part.has('once') ? 'once' : 'do'
    const steps = isMap(part) ? part.get(list) : undefined
    return (isSeq(steps) ? steps.items : []).flatMap((_step, s) =>
      stepKinds.flatMap((kind) => {
        const { namesSteps } = stepDefinition(kind)
        if (namesSteps === undefined) return []
        const path = ['parts', p, list, s, kind, namesSteps]
        const named = document.getIn(path)
        const ids = isSeq(named) ? (named.toJSON() as unknown[]).map(String) : []
        return ids.includes(id) ? [{ path, ids }] : []
      }),
    )
  })
}

const sameList = (a: readonly string[], b: readonly string[]): boolean => a.join('\n') === b.join('\n')
