import type { ReactElement, ReactNode } from 'react'
import { difference, outcomes } from '../../../core/balance/balance'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { count, numberText } from '../../look/times'

/** The proof by counting: what was read is what became of it. */
export function Balance({
  run,
  children,
}: {
  run: Answer<typeof routes.run>
  children?: ReactNode
}): ReactElement {
  const { read } = run.counts
  const parts = outcomes.map((name) => [name, run.counts[name], name === 'rejected' ? 'look' : ''] as const)
  const shown = parts.filter(([name, value]) => value > 0 || name === 'written')
  const finished = run.loads.done ?? 0
  return (
    <section className="sheet balance" aria-label="balance" style={{ flex: 'none' }}>
      <span>
        <b>{numberText(read)}</b> read
      </span>
      <span aria-hidden="true">=</span>
      {shown.map(([name, value, tone], i) => (
        <span key={name} style={{ display: 'contents' }}>
          {i > 0 && <span aria-hidden="true">+</span>}
          <span>
            <b className={value > 0 ? tone : undefined}>{numberText(value)}</b> {name}
          </span>
        </span>
      ))}
      <span className={`verdict ${run.unbalanced > 0 ? 'bad' : 'good'}`} role="status">
        {run.unbalanced > 0
          ? `✗ ${count(run.unbalanced, 'load')} ${run.unbalanced === 1 ? 'does' : 'do'} not balance: off by ${numberText(difference(run.counts))} rows`
          : finished > 0
            ? `✓ balances for all ${numberText(finished)} loads that are done`
            : 'nothing is done yet'}
      </span>
      {children}
    </section>
  )
}
