import type { ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { count, numberText } from '../../look/times'

/** The proof by counting: read = written + unchanged + rejected + filtered. */
export function Balance({ run }: { run: Answer<typeof routes.run> }): ReactElement {
  const { read, written, unchanged, rejected, filtered } = run.counts
  const parts = [
    ['written', written, ''],
    ['unchanged', unchanged, ''],
    ['rejected', rejected, 'look'],
    ['filtered', filtered, ''],
  ] as const
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
          ? `✗ ${count(run.unbalanced, 'load')} ${run.unbalanced === 1 ? 'does' : 'do'} not balance: off by ${numberText(read - written - unchanged - rejected - filtered)} rows`
          : finished > 0
            ? `✓ balances for all ${numberText(finished)} loads that are done`
            : 'nothing is done yet'}
      </span>
    </section>
  )
}
