import { activeSteps } from '../../job/document'
import { slotsOf } from '../../job/slots'
import { stepKind } from '../../job/steps'
import type { KnownNames } from '../../expression/names'
import type { Gathered } from '../../roster/gathered'
import type { CompiledSlot } from '../../text/slot'
import { gatherer } from '../gather'
import { givenParameters } from '../parameters'
import type { Expansion, PlannedLoad, PlanPart, PlanRequest } from '../types'
import { resolveLoads } from './loads'
import { knownColumns, partRoster, tellRepeats, rosterContext } from './rosters'
import { checkedSlot, variesBy } from './slots'

/**
 * Works out every load of a job and resolves every text, without looking anything up.
 * `gathered` holds what the job's rosters read (see {@link wantedSources}). Faults become findings; nothing is thrown
 * for what a person wrote.
 */
export function expand(request: PlanRequest, gathered: Gathered): Expansion {
  const { job } = request
  const findings = gatherer(job.name)
  const parameters = givenParameters(job, request.parameters, findings)
  const context = rosterContext(request, parameters)
  const { compile, known, bindings: base } = context
  const parts: PlanPart[] = []
  const loads: PlannedLoad[] = []
  const earlier: string[] = []
  job.parts.forEach((part, index) => {
    const roster = part.each ? partRoster(part, index, gathered, context, findings) : undefined
    const slices = part.each?.slices === false || !part.each ? undefined : request.slices
    const steps = activeSteps(part)
    const names: KnownNames = {
      ...known,
      ...(roster ? { row: knownColumns(roster, part) } : {}),
      ...(slices ? { slice: ['from', 'to', 'label'] } : {}),
      file: ['name', 'path', 'size'],
    }
    const slots: (CompiledSlot | undefined)[] = []
    const planSteps = steps.map((step) => {
      const list = slotsOf(step)
      for (const slot of list) {
        slots.push(checkedSlot(slot, compile, { ...names, step: [...earlier] }, index, job, findings))
      }
      earlier.push(step.id)
      return { id: step.id, title: step.title ?? step.id, kind: stepKind(step), slots: list }
    })
    parts.push({
      index,
      steps: planSteps,
      roster,
      slices,
      atOnce: part.each?.at_once ?? 1,
      varies: slots.map((slot) => variesBy(slot, roster !== undefined, slices !== undefined)),
    })
    resolveLoads({
      index,
      slots,
      roster,
      slices,
      base,
      only: request.only,
      context,
      names,
      loads,
      findings,
      each: part.each !== undefined,
      title: part.title ?? planSteps[0]?.title ?? 'once',
    })
    if (roster) tellRepeats(roster, index, loads, findings)
  })
  return { request, parts, loads, findings: findings.list(), parameters }
}
