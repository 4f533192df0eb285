import { outcomes } from '../core/balance/balance'
import type { Answer } from '../contract/route'
import type { routes } from '../contract/routes'

const n = (value: number): string => value.toLocaleString('en')

/** A plan for a terminal: findings first, then the first loads. */
export function planText(
  plan: Answer<typeof routes.plan>,
  loads: Answer<typeof routes.planLoads>['loads'],
): string {
  const lines = [`${plan.job} in ${plan.environment}, plan ${plan.id}: ${n(plan.loads)} loads`]
  for (const { level, code, message } of plan.findings)
    lines.push(`${level.padEnd(4)}  ${code.padEnd(17)}  ${message}`)
  if (plan.forecast) {
    const { seconds, low, high } = plan.forecast
    lines.push(`likely ${Math.round(seconds)} s (${Math.round(low)} to ${Math.round(high)} s)`)
  }
  for (const load of loads) lines.push(`  ${load.key}  ${load.cells.join('  ')}`)
  if (loads.length > 0 && plan.loads > loads.length)
    lines.push(`  and ${n(plan.loads - loads.length)} more; --json lists them all`)
  return `${lines.join('\n')}\n`
}

/** What changed against another plan. */
export function comparisonText(other: number, compared: Answer<typeof routes.comparePlans>): string {
  const { added, gone, changed, same, texts } = compared
  const lines = [
    `against plan ${other}: ${n(added)} added, ${n(gone)} gone, ${n(changed)} changed, ${n(same)} the same`,
  ]
  for (const { step, label, before, after, count } of texts)
    lines.push(`  ${step} ${label}, ${n(count)} loads: ${before ?? 'nothing'} -> ${after ?? 'nothing'}`)
  return `${lines.join('\n')}\n`
}

export function runText({
  run,
  job,
  environment,
  state,
  loads,
  balance,
}: Answer<typeof routes.runDocument>): string {
  const counts = Object.entries(loads)
    .filter(([, count]) => count > 0)
    .map(([name, count]) => `${n(count)} ${name}`)
    .join(', ')
  const terms = outcomes.filter((name) => name !== 'merged' || balance.merged > 0)
  const sum = `${n(balance.read)} read = ${terms.map((name) => `${n(balance[name])} ${name}`).join(' + ')}`
  return `run ${run} of ${job} in ${environment}: ${state} (${counts})\n${sum}${balance.balanced ? '' : '  DOES NOT BALANCE'}\n`
}

export function runsText(runs: Answer<typeof routes.runs>['runs']): string {
  return (
    runs
      .map(
        (run) =>
          `${String(run.id).padStart(6)}  ${run.state.padEnd(8)}  ${run.createdAt.slice(0, 16).replace('T', ' ')}  ${run.environment.padEnd(8)}  ${run.job}  ${n(run.counts.written)} rows written`,
      )
      .join('\n') + '\n'
  )
}

export function verifyText({ run, counted, loads }: Answer<typeof routes.verifyRun>): string {
  const rows = `${n(counted.found)} of ${n(counted.written)} rows counted again`
  const head = `run ${run}: ${n(counted.loads - counted.broken)} of ${n(counted.loads)} loads are as they were left; ${rows}\n`
  return head + loads.map(({ key, why }) => `  ${key}: ${why}\n`).join('')
}
