import { activeSteps, partName, stepPath } from '../../job/document'
import { earlierOf, partOrder } from '../../job/order'
import { slotsOf } from '../../job/slots'
import { stepKind } from '../../job/steps'
import type { KnownNames } from '../../expression/names'
import type { Gathered } from '../../roster/gathered'
import type { CompiledSlot } from '../../text/slot'
import { gatherer } from '../gather'
import { givenParameters } from '../parameters'
import type { Expansion, PlannedLoad, PlanPart, PlanRequest } from '../types'
import { resolveLoads } from './loads'
import { judgeOrders, judgeWhen } from './orders'
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
  judgeOrders(job, findings)
  const order = partOrder(job)
  const earlier = earlierOf(job)
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
    const { own, steps: before } = earlier[index]!
    judgeWhen(part.when, compile, { ...known, step: own.steps, part: own.parts }, { part: index, path: `parts.${index}.when` }, findings) // prettier-ignore
    const slots: (CompiledSlot | undefined)[] = []
    const planSteps = steps.map((step, s) => {
      const seen = { ...names, step: before[s]!.steps, part: own.parts }
      judgeWhen(step.when, compile, seen, { part: index, step: step.id, path: `${stepPath(job, index, step.id)}.when` }, findings) // prettier-ignore
      const list = slotsOf(step)
      for (const slot of list) {
        slots.push(request.texts?.(slot.path) === false ? undefined : checkedSlot(slot, compile, seen, index, job, findings)) // prettier-ignore
      }
      return { id: step.id, title: step.title ?? step.id, kind: stepKind(step), slots: list }
    })
    const instead = request.instead?.filter((one) => one.part === partName(part, index)) ?? []
    parts.push({
      index,
      steps: planSteps,
      roster,
      slices,
      atOnce: part.each?.at_once ?? 1,
      waits: order.waits[index]!,
      // a name that somebody put in the place of another is of one row and slice
      varies: slots.map((slot) =>
        slot?.kind === 'path' && instead.length > 0
          ? 'both'
          : variesBy(slot, roster !== undefined, slices !== undefined),
      ),
    })
    resolveLoads({
      index,
      slots,
      roster,
      slices,
      base,
      only: request.only,
      picks: slices && request.picks?.filter(({ part: name }) => name === partName(part, index)),
      instead,
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
