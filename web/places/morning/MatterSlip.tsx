import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { Choice, TextInput } from '../../kit/controls'
import { FaultBox } from '../../kit/Fault'
import { Slip } from '../../kit/Slip'
import { timeText } from '../../look/times'
import type { Decision } from './answers'

const hour = 3_600_000

/** How long something may be quiet. */
const quiets = {
  as: { words: 'as it is', until: () => undefined },
  no: { words: 'no longer', until: () => null },
  hour: { words: 'for an hour', until: () => new Date(Date.now() + hour) },
  morning: { words: 'until tomorrow, 06:00', until: () => tomorrow(1) },
  week: { words: 'for a week', until: () => tomorrow(7) },
} as const
type Quiet = keyof typeof quiets

function tomorrow(days: number): Date {
  const at = new Date()
  at.setDate(at.getDate() + days)
  at.setHours(6, 0, 0, 0)
  return at
}

interface Props {
  readonly decision: Decision
  readonly people: readonly string[]
  readonly onClose: () => void
  readonly onDone: () => void
}

/** What was said and done about a matter, and what is said or done now. */
export function MatterSlip({ decision, people, onClose, onDone }: Props): ReactElement {
  const { environment } = useHere()
  const [note, setNote] = useState('')
  const [givenTo, setGivenTo] = useState(decision.givenTo ?? '')
  const [quiet, setQuiet] = useState<Quiet>('as')
  const [fault, setFault] = useState<Error>()
  const keep = async () => {
    setFault(undefined)
    const until = quiets[quiet].until()
    await call(routes.keepMatter, {
      body: {
        environment,
        key: decision.key,
        title: decision.title,
        ...(note.trim() === '' ? {} : { note }),
        ...(givenTo === (decision.givenTo ?? '') ? {} : { givenTo: givenTo === '' ? null : givenTo }),
        ...(until === undefined ? {} : { quietUntil: until && until.toISOString() }),
      },
    })
    onDone()
  }
  const options = (Object.keys(quiets) as Quiet[]).filter((one) => one !== 'no' || decision.quietUntil !== null)
  return (
    <Slip title={decision.title} onClose={onClose}>
      {decision.notes.length > 0 && (
        <ul aria-label="what was said and done" style={{ margin: '0 0 12px', padding: 0, listStyle: 'none' }}>
          {decision.notes.map(({ by, text, at }, place) => (
            <li key={place} style={{ padding: '3px 0', borderBottom: '1px solid var(--faint)' }}>
              <b>{by}</b> <span className="soft">{timeText(at)}</span> {text}
            </li>
          ))}
        </ul>
      )}
      <div className="form-rows">
        <span className="label">note</span>
        <TextInput label="note" value={note} lines={2} autoFocus placeholder="what is known, what is being done" onChange={setNote} />
        <span className="label">who sees to it</span>
        <Choice label="who sees to it" value={givenTo} options={[['', 'nobody yet'], ...people.map((name) => [name, name] as const)]} onChange={setGivenTo} />
        <span className="label">quiet</span>
        <Choice label="quiet" value={quiet} options={options.map((one) => [one, quiets[one].words] as const)} onChange={setQuiet} />
      </div>
      {fault && <FaultBox error={fault} />}
      <div className="line" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" color="primary" onClick={() => void keep().catch(setFault)}>
          Keep
        </Button>
      </div>
    </Slip>
  )
} // prettier-ignore
