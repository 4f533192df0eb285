import type { Answer } from '../contract/route'
import type { routes } from '../contract/routes'

const n = (value: number): string => value.toLocaleString('en')

/** A plan for a terminal: findings first, then the loads. */
export function planText(document: Answer<typeof routes.planDocument>): string {
  const lines = [`${document.job} in ${document.environment}: ${n(document.loads.length)} loads`]
  for (const { level, code, message } of document.findings)
    lines.push(`${level.padEnd(4)}  ${code.padEnd(14)}  ${message}`)
  if (document.forecast) lines.push(`likely ${Math.round(document.forecast.seconds)} s`)
  for (const load of document.loads.slice(0, 40))
    lines.push(
      `  ${load.key}  ${load.steps
        .map(({ resolved }) =>
          Object.values(resolved)
            .filter((text) => typeof text === 'string')
            .join(' '),
        )
        .join(' | ')}`,
    )
  if (document.loads.length > 40)
    lines.push(`  and ${n(document.loads.length - 40)} more; --json lists them all`)
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
  const sum = `${n(balance.read)} read = ${n(balance.written)} written + ${n(balance.unchanged)} unchanged + ${n(balance.rejected)} rejected + ${n(balance.filtered)} filtered`
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
