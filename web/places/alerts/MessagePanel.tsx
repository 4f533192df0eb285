import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { FaultBox } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { StateMark } from '../../look/State'
import { count, timeText } from '../../look/times'
import type { Message } from './answers'
import { messageWords } from './Log'

/** A message as it was sent, and what became of it. */
export function MessagePanel({
  message,
  mayRun,
  onClose,
}: {
  readonly message: Message
  readonly mayRun: boolean
  readonly onClose: () => void
}): ReactElement {
  const { id, subject, text, to, title, at, state, tries, nextAt, said } = message
  const [fault, setFault] = useState<Error>()
  const again = async () => {
    await call(routes.sendAlertAgain, { params: { id } })
    say('it is sent once more')
    onClose()
  }
  return (
    <section className="sheet stack" aria-label="message" style={{ overflow: 'auto' }} tabIndex={0}>
      <div className="line" style={{ flexWrap: 'nowrap', alignItems: 'flex-start' }}>
        <b>{subject}</b>
        <Button style={{ marginLeft: 'auto', flex: 'none' }} onClick={onClose}>
          Close
        </Button>
      </div>
      <div className="soft">
        {timeText(at)} · {to} · by the rule {title}
      </div>
      <div className="line" style={{ gap: 6, flexWrap: 'nowrap', alignItems: 'flex-start' }}>
        <StateMark state={messageWords[state].mark} size={12} />
        <span className={state === 'failed' ? 'bad' : ''} style={{ overflowWrap: 'anywhere' }}>
          {messageWords[state].said}
          {tries > 1 && `, sent ${count(tries, 'time')}`}
          {state === 'waiting' && tries > 0 && `, again at ${timeText(nextAt)}`}
          {said !== null && `: ${said}`}
        </span>
      </div>
      {fault && <FaultBox error={fault} />}
      {mayRun && state === 'failed' && (
        <div>
          <Button onClick={() => void again().catch(setFault)}>Send it once more</Button>
        </div>
      )}
      <pre
        style={{
          margin: 0,
          whiteSpace: 'pre-wrap',
          overflowWrap: 'anywhere',
          borderTop: '1px solid var(--rule)',
          paddingTop: 8,
        }}
      >
        {text}
      </pre>
    </section>
  )
}
