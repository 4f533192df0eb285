import type { ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { followsOn } from '../../../core/run/order'
import { StateBox } from '../../look/State'
import { count, numberText } from '../../look/times'

type Part = Answer<typeof routes.run>['parts'][number]

const loadsOf = ({ waiting, running, held, done, failed, skipped, stopped }: Part): number =>
  waiting + running + held + done + failed + skipped + stopped

/** What a part waits for that is not simply the one before it. */
const afterText = ({ waits, part }: Part, name: (part: number) => string): string =>
  followsOn(waits, part) ? '' : waits.length === 0 ? 'at once' : `after ${waits.map(name).join(', ')}`

function stateText(part: Part): string {
  if (part.state === 'asking') return `asks whether ${part.when}`
  if (part.state === 'held') return 'done; it holds for a look'
  if (part.state === 'skipped')
    return part.passed ? 'not needed' : 'left out, since something before it failed'
  const total = loadsOf(part)
  const parts = [
    part.done > 0 && total > 1 ? `${numberText(part.done)} of ${count(total, 'load')} done` : '',
    part.failed > 0 ? `${numberText(part.failed)} failed` : '',
    part.held > 0 ? `${numberText(part.held)} held` : '',
  ].filter((text) => text !== '')
  return parts.length > 0 ? parts.join(', ') : part.state
}

/** The parts of a run in their order, each with how it stands. */
export function Parts({ parts }: { parts: readonly Part[] }): ReactElement {
  const name = (at: number) => parts[at]?.title ?? String(at + 1)
  return (
    <section className="sheet" aria-label="parts" style={{ flex: 'none', paddingTop: 8, paddingBottom: 8 }}>
      <ol className="line run-parts">
        {parts.map((part) => (
          <li key={part.part} className="line" style={{ gap: 6 }}>
            <svg width="16" height="12" aria-hidden="true">
              <StateBox
                state={part.state === 'asking' ? 'waiting' : part.state}
                x={0}
                y={1}
                width={16}
                height={10}
              />
            </svg>
            <span>
              <b>{name(part.part)}</b>{' '}
              <span className={part.failed > 0 ? 'bad' : part.state === 'held' ? 'look' : 'soft'}>
                {[stateText(part), afterText(part, name)].filter((text) => text !== '').join(' · ')}
              </span>
            </span>
          </li>
        ))}
      </ol>
    </section>
  )
}
