import { allSteps } from '../job/document'
import { stepDefinition, stepOf } from '../job/steps'
import type { TakenFiles } from '../job/steps/definition'
import { plainText, type Resolved } from '../text/slot'
import { textTable } from './texts'
import { fileKey, type Expansion, type PlannedLoad } from './types'

/** Files of a store that a step of one load names. */
export interface FileWant {
  readonly part: number
  readonly step: string
  /** Path of the text that names them, such as `transfer.from.files`. */
  readonly path: string
  readonly load: PlannedLoad
  readonly number: number
  readonly store: string
  readonly files: Extract<Resolved, { kind: 'path' }>
  /** Their key among the facts. */
  readonly key: string
  readonly takes: TakenFiles
}

const known = new WeakMap<Expansion['loads'], readonly FileWant[]>()

/** The files that every step of every load names, as far as their names are known before it runs; worked out once. */
export function fileWantsOf(expansion: Expansion): readonly FileWant[] {
  let list = known.get(expansion.loads)
  if (!list) known.set(expansion.loads, (list = [...wants(expansion)]))
  return list
}

function* wants(expansion: Expansion): Generator<FileWant> {
  const steps = expansion.parts.map((part) => {
    const all = allSteps(expansion.request.job.parts[part.index]!)
    return part.steps.flatMap(({ id, kind }) => {
      const takes = stepDefinition(kind).takesFiles?.(stepOf(all.find((step) => step.id === id)!).spec)
      const table = textTable(part)
      const at = { store: table.at(id, `${kind}.from.store`), files: table.at(id, `${kind}.from.files`) }
      return takes && at.files >= 0 ? [{ step: id, takes, at, path: `${kind}.from.files` }] : []
    })
  })
  for (let number = 0; number < expansion.loads.length; number++) {
    const load = expansion.loads[number]!
    for (const { step, takes, at, path } of steps[load.part]!) {
      const store = plainText(load.resolved[at.store] ?? null)
      const files = load.resolved[at.files]
      if (store === undefined || files?.kind !== 'path') continue
      const key = fileKey(store, files.pattern)
      yield { part: load.part, step, path, load, number, store, files, key, takes }
    }
  }
}
