import type { ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import type { routes } from '../../../contract/routes'
import { bytesText, timeText } from '../../look/times'

type Slot = Answer<typeof routes.resolveJob>['slots'][number]

/** What a text comes to, and the files that were found by it. */
export function SlotResult({ slot }: { slot: Slot }): ReactElement | null {
  const same = slot.resolved === slot.text && !slot.found
  if (same) return null
  return (
    <div className="comes-to mono">
      {slot.later && <span className="look">→ worked out when it runs: it uses what earlier steps did</span>}
      {!slot.later && slot.resolved === null && slot.rowless && (
        <span className="soft">→ there is no row to work it out with</span>
      )}
      {!slot.later && slot.resolved === null && !slot.rowless && (
        <span className="bad">→ cannot be resolved; see the findings</span>
      )}
      {slot.resolved !== null && slot.resolved !== slot.text && (
        <span className="good">→ {slot.resolved.trimEnd()}</span>
      )}
      {slot.values && slot.values.length > 0 && (
        <div className="soft">
          {slot.values.map((value, i) => `$${i + 1} = ${JSON.stringify(value)}`).join(', ')}
        </div>
      )}
      {slot.found?.map((file) => (
        <div key={file.path} className={file.size === 0 ? 'look' : 'good'}>
          ✓ {file.path}{' '}
          <span className="soft">
            {bytesText(file.size)}, came {timeText(file.modified)}
          </span>
        </div>
      ))}
      {slot.found?.length === 0 && <div className="look">no file matches</div>}
    </div>
  )
}
