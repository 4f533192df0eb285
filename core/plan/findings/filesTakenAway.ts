import { nearestName } from '../../expression/nearest'
import { activeSteps } from '../../job/document'
import { comesBefore } from '../../job/order'
import { stepDefinition, stepOf } from '../../job/steps'
import type { TakenFiles } from '../../job/steps/definition'
import { fileWantsOf } from '../fileWants'
import type { Expansion, Facts } from '../types'
import type { Rule } from './rule'

/** A step that deals with files of stores. */
interface FileStep {
  readonly part: number
  readonly step: string
  /** Path of its key that names the steps which cover what it takes away. */
  readonly path: string
  readonly takes: TakenFiles
}

/** Every step of the job with what it does with files. */
function fileSteps({ request: { job } }: Expansion): { all: string[]; those: FileStep[] } {
  const steps = job.parts.flatMap((one, part) => activeSteps(one).map((step) => ({ part, step })))
  const those = steps.flatMap(({ part, step }): FileStep[] => {
    const { kind, spec } = stepOf(step)
    const { takesFiles, namesSteps } = stepDefinition(kind)
    const takes = takesFiles?.(spec)
    return takes ? [{ part, step: step.id, path: `${kind}.${namesSteps ?? 'from'}`, takes }] : []
  })
  return { all: steps.map(({ step }) => step.id), those }
}

/**
 * `cleared-too-early` and `unknown-name` of files that are taken away: by a step that does not wait for those that cover
 * them, or while another step needs the same files.
 */
export const filesTakenAway: Rule = (expansion, facts, findings) => {
  const { all, those } = fileSteps(expansion)
  const before = comesBefore(expansion.request.job)
  const files = filesByStep(expansion, facts)
  for (const taker of those) {
    if (!taker.takes.takesAway) continue
    const where = { part: taker.part, step: taker.step, path: taker.path }
    const stop = (text: string) => findings.add('cleared-too-early', 'stop', text, where)
    for (const id of taker.takes.coveredBy) {
      const named = those.find(({ step }) => step === id)
      if (!all.includes(id)) {
        const near = nearestName(id, all)
        findings.add('unknown-name', 'stop', `there is no step ${id}${near ? `; did you mean ${near}?` : ''}`, where) // prettier-ignore
      } else if (!named?.takes.covers)
        stop(`${id} neither loads files nor copies them, so nothing that ${taker.step} takes away is covered by it`)
      else if (!before(named, taker)) stop(`${taker.step} takes files away before ${id} is done; let it wait for ${id}`)
    } // prettier-ignore
    const own = files.get(taker.step) ?? new Set()
    for (const other of those) {
      if (other === taker || taker.takes.coveredBy.includes(other.step)) continue
      const shared = [...(files.get(other.step) ?? [])].find((file) => own.has(file))
      if (shared === undefined) continue
      const name = shared.slice(shared.indexOf('\n') + 1)
      if (!before(other, taker))
        stop(`${taker.step} takes away ${name}, which ${other.step} needs, too, and may not have had by then`) // prettier-ignore
      else if (other.takes.covers)
        findings.add(
          'cleared-too-early',
          'look',
          `${taker.step} takes away ${name} also where ${other.step}, which needs it, too, did not come to its end; name ${other.step} among those that cover it`,
          where,
        )
    }
  }
}

/** The files that each step finds now, by store and path. */
function filesByStep(expansion: Expansion, facts: Facts): Map<string, Set<string>> {
  const byStep = new Map<string, Set<string>>()
  for (const { step, store, key } of fileWantsOf(expansion)) {
    let list = byStep.get(step)
    if (!list) byStep.set(step, (list = new Set()))
    for (const { path } of facts.files.get(key) ?? []) list.add(`${store}\n${path}`)
  }
  return byStep
}
