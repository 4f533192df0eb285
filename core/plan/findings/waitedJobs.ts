import { nearestName } from '../../expression/nearest'
import { waitJobs } from '../../job/waits'
import { slicesMeeting } from '../../slice/slices'
import { some } from '../../text/someOf'
import type { Expansion, Facts } from '../types'
import type { Rule } from './rule'
import { wayTo } from './wayTo'

/**
 * `unknown-name`, `circle` and `never-lines-up` of jobs that loads wait for: one that is not there, that waits for this
 * one in the end, or that has no slice where the planned ones are.
 */
export const waitedJobs: Rule = (expansion, facts, findings) => {
  const { waits } = facts
  if (!waits) return
  const own = expansion.request.job.name
  for (const { name, part, path } of named(expansion)) {
    const where = { part, path }
    const numbers = expansion.loads.flatMap((load, n) => (load.part === part ? [n] : []))
    if (numbers.length === 0) continue
    const known = waits.get(name)
    if (!known) {
      const near = nearestName(name, [...waits.keys()])
      findings.add('unknown-name', 'stop', `there is no job ${name} to wait for${near ? `; did you mean ${near}?` : ''}`, where, numbers) // prettier-ignore
      continue
    }
    const way = wayTo(own, name, (one) => waits.get(one)?.waitsFor ?? [])
    if (way) findings.add('circle', 'stop', `these jobs wait for each other for ever: ${[own, ...way].join(' → ')}`, where, numbers) // prettier-ignore
    judgeSlices(expansion, name, known.slices, part, where, findings)
  }
}

function judgeSlices(
  expansion: Expansion,
  name: string,
  spec: NonNullable<ReturnType<NonNullable<Facts['waits']>['get']>>['slices'],
  part: number,
  where: { part: number; path: string },
  findings: Parameters<Rule>[2],
): void {
  const slices = expansion.parts[part]!.slices ?? []
  const numbersOf = (wanted: ReadonlySet<number>) =>
    expansion.loads.flatMap((load, n) => (load.part === part && wanted.has(load.slice) ? [n] : []))
  if (!spec) {
    findings.add('never-lines-up', 'stop', `${name} has no slices, so none of them can be waited for; wait for a dataset that it writes, or begin when it has ended`, where, numbersOf(new Set(slices.keys()))) // prettier-ignore
    return
  }
  const without = new Set<number>()
  slices.forEach((slice, at) => {
    if (slicesMeeting(spec, slice.from, slice.to).length === 0) without.add(at)
  })
  if (without.size > 0)
    findings.add(
      'never-lines-up',
      'stop',
      `no slice of ${name} meets ${some([...without].map((at) => slices[at]!.label))}; its slices are ${spec.every} from ${spec.from}${spec.until === undefined ? '' : ` until ${spec.until}`}`,
      where,
      numbersOf(without),
    )
}

/** The jobs that the parts of a job wait for, each with its place in the document. */
const named = ({ request: { job } }: Expansion) =>
  job.parts.flatMap(({ each }, part) =>
    (each?.waits ?? []).flatMap((wait, at) =>
      waitJobs(wait).map((name) => ({ name, part, path: `parts.${part}.each.waits.${at}` })),
    ),
  )
