import { makespan, quantile } from '../forecast/listSchedule'
import { rules } from './findings'
import { gatherer } from './gather'
import type { Expansion, Facts, Finding, Forecast, Level, Plan } from './types'

const order: Record<Level, number> = { stop: 0, look: 1, note: 2 }

/** Judges an expansion by the facts, and forecasts how long it will take. Pure and deterministic. */
export function judge(expansion: Expansion, facts: Facts): Plan {
  const findings = gatherer(expansion.request.job.name)
  for (const rule of rules) rule(expansion, facts, findings)
  const all = [...expansion.findings, ...findings.list()].map((finding) => named(finding, expansion))
  all.sort((a, b) => order[a.level] - order[b.level])
  return { ...expansion, findings: all, forecast: forecast(expansion, facts) }
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

/** From the time like loads took: median for the length, quartiles for the spread; parts follow one another. */
function forecast(expansion: Expansion, facts: Facts): Forecast | null {
  const all = facts.history.get('') ?? []
  if (all.length === 0) return null
  const spread = [0.5, 0.25, 0.75].map((p) => {
    const usual = quantile(all, p)
    const byRow = new Map<string, number>()
    let seconds = 0
    for (const part of expansion.parts) {
      const durations = expansion.loads.flatMap((load) => {
        if (load.part !== part.index) return []
        const row = load.row >= 0 ? part.roster!.rows[load.row]!.key : ''
        let duration = byRow.get(row)
        if (duration === undefined) {
          const like = facts.history.get(row)
          byRow.set(row, (duration = like && like.length > 0 ? quantile(like, p) : usual))
        }
        return [duration]
      })
      seconds += makespan(durations, part.atOnce)
    }
    return seconds
  })
  const rows = expansion.loads.map((load) =>
    load.row >= 0 ? expansion.parts[load.part]!.roster!.rows[load.row]!.key : '',
  )
  const known = rows.length === 0 ? 0 : rows.filter((row) => facts.history.has(row)).length / rows.length
  return { seconds: spread[0]!, low: spread[1]!, high: spread[2]!, known }
}
