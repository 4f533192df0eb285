import { nearestName } from '../../expression/nearest'
import { stepDefinition } from '../../job/steps'
import { textTable } from '../texts'
import type { Expansion } from '../types'
import { loadGroups, type Rule } from './rule'
import { wayTo } from './wayTo'

/** A job that a step of some loads calls. */
interface Called {
  readonly name: string
  readonly part: number
  readonly step: string
}

/** `unknown-name` and `circle` of jobs that steps call: one that is not there, or that calls this one in the end. */
export const calledJobs: Rule = (expansion, facts, findings) => {
  const { calls } = facts
  if (!calls) return
  const own = expansion.request.job.name
  for (const { about, numbers } of callsOf(expansion)) {
    const { name, part, step } = about
    const where = { part, step, path: 'job.name' }
    if (name !== own && !calls.has(name)) {
      const near = nearestName(name, [...calls.keys()])
      findings.add('unknown-name', 'stop', `there is no job ${name}${near ? `; did you mean ${near}?` : ''}`, where, numbers) // prettier-ignore
      continue
    }
    const way = wayTo(own, name, (one) => calls.get(one) ?? [])
    if (way) findings.add('circle', 'stop', `${own} would run itself: ${[own, ...way].join(' → ')}`, where, numbers) // prettier-ignore
  }
}

/** The jobs that the loads call, each with the loads that call it at a step. */
function callsOf(expansion: Expansion) {
  const groups = loadGroups<Called>()
  const places = expansion.parts.map((part) =>
    part.steps.flatMap(({ id, kind }) =>
      stepDefinition(kind).calls ? [{ step: id, at: textTable(part).at(id, `${kind}.name`) }] : [],
    ),
  )
  expansion.loads.forEach((load, number) => {
    for (const { step, at } of places[load.part]!) {
      const name = load.resolved[at]
      if (name?.kind === 'text')
        groups.add(`${load.part} ${step} ${name.text}`, { number, load }, () => ({ name: name.text, part: load.part, step })) // prettier-ignore
    }
  })
  return groups.list()
}
