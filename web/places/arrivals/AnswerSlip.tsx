import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { isOverdue } from '../../../core/arrivals/arrival'
import type { ArrivalAnswerKind } from '../../../core/arrivals/answers'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { Choice, OfferedText, TextInput } from '../../kit/controls'
import { FaultBox } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { Slip } from '../../kit/Slip'
import { timeText } from '../../look/times'
import type { Arrival, Stray } from './words'

/** May something be said about it: it did not come, or something was said. */
export const mayAnswer = ({ state, answer }: Arrival): boolean =>
  answer !== null || isOverdue(state) || state === 'expected' || state === 'empty'

const hour = 3_600_000
const kinds: readonly (readonly [ArrivalAnswerKind, string, string])[] = [
  ['instead', 'another file is taken', 'Plans, starts and this page take it for the file of this row and slice, and plans say so. Loads that wait already go on waiting for the other.'],
  ['without', 'the slice goes without it', 'Starts that wait for all files no longer wait for this one, and nobody is told that it is late.'],
  ['later', 'ask again tomorrow', 'It counts as expected until then.'],
  ['never', 'never expect it, from this slice on', 'Its row stays as it is: where the feed has ended, take its row out of the control table as well.'],
] // prettier-ignore

/** What is said about a file that did not come. */
export function AnswerSlip({ arrival, now, strays, onClose, onDone }: { readonly arrival: Arrival; readonly now: string; readonly strays: readonly Stray[]; readonly onClose: () => void; readonly onDone: () => void }): ReactElement {
  const { environment } = useHere()
  const { job, title, part, row, slice, answer } = arrival
  const [kind, setKind] = useState<ArrivalAnswerKind>(answer?.kind ?? 'without')
  const [file, setFile] = useState(answer?.file ?? '')
  const [why, setWhy] = useState('')
  const [fault, setFault] = useState<Error>()
  const takesFile = kind === 'instead'
  // those most like the row's own first
  const offers = strays.filter(({ store }) => store === arrival.store).sort((a, b) => Number(b.nearest?.row === row) - Number(a.nearest?.row === row))
  const place = { environment, job, part, row, from: answer?.kind === 'never' ? answer.from : slice.from }
  const keep = async () => {
    setFault(undefined)
    const more: Partial<Record<ArrivalAnswerKind, object>> = {
      later: { until: new Date(Date.parse(now) + 24 * hour).toISOString() },
      instead: { file: file.trim(), replaces: answer?.replaces ?? arrival.name },
    }
    await call(routes.answerArrival, { body: { ...place, from: slice.from, kind, why, ...more[kind] } })
    onDone()
  }
  const drop = async () => {
    setFault(undefined)
    await call(routes.dropArrivalAnswer, { body: place })
    say('it is expected again')
    onDone()
  }
  return (
    <Slip title={`${row} for ${slice.label} of ${title}`} onClose={onClose}>
      {answer && (
        <p style={{ margin: '0 0 10px' }}>
          <b>{answer.by}</b> <span className="soft">{timeText(answer.at)}</span> {kinds.find(([one]) => one === answer.kind)![1]}
          {answer.file !== null && <>: <span className="mono">{answer.file}</span> in place of <span className="mono">{answer.replaces}</span></>}
          {answer.until !== null && `, ${timeText(answer.until)}`}: {answer.why}
        </p>
      )}
      <div className="form-rows">
        <span className="label">what</span>
        <Choice label="what is said" value={kind} options={kinds.map(([one, words]) => [one, words] as const)} onChange={setKind} />
        {takesFile && (
          <>
            <span className="label">file</span>
            <OfferedText label="file" mono value={file} offers={offers.map(({ path }) => path)} words={Object.fromEntries(offers.map(({ path, modified }) => [path, `came ${timeText(modified)}`]))} placeholder={`a file of ${arrival.store}; unexpected ones are offered`} onChange={setFile} />
          </>
        )}
        <span className="label">why</span>
        <TextInput label="why" value={why} autoFocus placeholder="for who wonders where it is" onChange={setWhy} />
      </div>
      <p className="soft" style={{ margin: '8px 0 0' }}>{kinds.find(([one]) => one === kind)![2]}</p>
      {fault && <FaultBox error={fault} />}
      <div className="line" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
        {answer && <Button onClick={() => void drop().catch(setFault)}>Take it back</Button>}
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" color="primary" disabled={why.trim().length < 3 || (takesFile && file.trim() === '')} onClick={() => void keep().catch(setFault)}>
          Keep
        </Button>
      </div>
    </Slip>
  )
} // prettier-ignore
