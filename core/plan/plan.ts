import { forecast } from '../forecast/forecast'
import { rules } from './findings'
import { alikeAsOne, gatherer } from './gather'
import type { Expansion, Facts, Finding, Level, Plan } from './types'
import { capsOf, workloadOf } from './workload'

const order: Record<Level, number> = { stop: 0, look: 1, note: 2 }

/** Judges an expansion by the facts, and forecasts how long it will take. Pure and deterministic. */
export function judge(expansion: Expansion, facts: Facts): Plan {
  return {
    ...judgeOnly(expansion, facts),
    forecast: forecast(workloadOf(expansion, facts.history), capsOf(expansion, facts)),
  }
}

/** Judges without a forecast: for what a change does, where nobody asks how long it takes. */
export function judgeOnly(expansion: Expansion, facts: Facts): Plan {
  const findings = gatherer(expansion.request.job.name)
  for (const rule of rules) rule(expansion, facts, findings)
  const all = alikeAsOne([...expansion.findings, ...findings.list()]).map((finding) =>
    named(finding, expansion),
  )
  all.sort((a, b) => order[a.level] - order[b.level])
  return { ...expansion, findings: all, forecast: null }
}

/** Adds the keys of the first loads concerned, so that a finding can be read by itself. */
function named(finding: Finding, expansion: Expansion): Finding {
  if (finding.loads.length === 0) return finding
  return {
    ...finding,
    where: {
      ...finding.where,
      loads: finding.loads.slice(0, 20).map((number) => expansion.loads[number]!.key),
    },
  }
}

/** Findings of level stop, for the loads that are to run. */
export function stopsFor(findings: readonly Finding[], left: ReadonlySet<number>): Finding[] {
  return findings.filter(
    ({ level, loads }) => level === 'stop' && (loads.length === 0 || loads.some((load) => !left.has(load))),
  )
}
