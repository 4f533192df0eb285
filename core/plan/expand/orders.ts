import type { Compiled } from '../../expression/cel'
import { nearestName } from '../../expression/nearest'
import { unknownNames, unknownNameText, type KnownNames } from '../../expression/names'
import { FaultError } from '../../fault'
import { allSteps, listOf, type Job } from '../../job/document'
import { orderOf, type Ordered } from '../../run/order'
import { isWhenWord } from '../../run/when'
import type { Gatherer } from '../gather'
import type { Place } from '../../fault'

/** Judges who waits for whom, among the parts and among the steps of each. */
export function judgeOrders(job: Job, findings: Gatherer): void {
  judge(job.parts, 'part', (at) => ({ part: at, path: `parts.${at}` }), () => false, findings) // prettier-ignore
  job.parts.forEach((part, p) => {
    const steps = allSteps(part)
    judge(
      steps,
      'step',
      (at) => ({ part: p, step: steps[at]!.id, path: `parts.${p}.${listOf(part)}.${at}` }),
      (at) => steps[at]!.off,
      findings,
    )
  })
}

function judge(
  all: readonly (Ordered & { readonly when: string })[],
  what: 'part' | 'step',
  place: (at: number) => Place,
  without: (at: number) => boolean,
  findings: Gatherer,
): void {
  const { waits, faults } = orderOf(all, without)
  const ids = all.flatMap(({ id }) => id ?? [])
  for (const { at, kind, ids: named } of faults) {
    const where = { ...place(at), path: `${place(at).path!}.after` }
    if (kind === 'circle' || kind === 'itself')
      findings.add(
        'circle',
        'stop',
        kind === 'itself' ? `${what} ${named[0]!} waits for itself` : `these ${what}s wait for each other in a circle: ${named.join(', ')}`,
        where,
      ) // prettier-ignore
    else {
      const near = nearestName(named[0]!, ids)
      const other = what === 'step' ? ' in this part' : ''
      findings.add('unknown-name', 'stop', `there is no ${what} ${named[0]!}${other}${near ? `; did you mean ${near}?` : ''}`, where) // prettier-ignore
    }
  }
  all.forEach(({ when, id }, at) => {
    if (when === 'failed' && waits[at]!.length === 0 && !without(at))
      findings.add(
        'never-runs',
        'look',
        `${what} ${id ?? at + 1} is for when something before it failed, and it waits for nothing, so it never runs`,
        { ...place(at), path: `${place(at).path!}.when` },
      )
  })
}

/** Judges an expression that says whether something begins. */
export function judgeWhen(
  when: string,
  compile: (source: string) => Compiled,
  known: KnownNames,
  where: Place,
  findings: Gatherer,
): void {
  if (isWhenWord(when)) return
  try {
    for (const unknown of unknownNames(compile(when), known))
      findings.add('unknown-name', 'stop', unknownNameText(unknown), { ...where, offset: unknown.offset, length: unknown.name.length }) // prettier-ignore
  } catch (error) {
    if (!(error instanceof FaultError)) throw error
    findings.add('expression', 'stop', `${error.fault.message} (in when; its words are done, failed and ended)`, where) // prettier-ignore
  }
}
