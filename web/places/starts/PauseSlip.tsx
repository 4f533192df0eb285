import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { Choice, TextInput } from '../../kit/controls'
import { TimeInput } from '../../kit/dates'
import { FaultBox } from '../../kit/Fault'
import { say } from '../../kit/Notice'
import { Slip } from '../../kit/Slip'
import type { OutlookJob } from './answers'

/** Asks what is to be paused, how long, and why. */
export function PauseSlip({
  environment,
  jobs,
  job: begunWith,
  start: startWith,
  onClose,
  onDone,
}: {
  readonly environment: string
  readonly jobs: readonly OutlookJob[]
  readonly job?: string | undefined
  readonly start?: string | undefined
  readonly onClose: () => void
  readonly onDone: () => void
}): ReactElement {
  const [job, setJob] = useState(begunWith ?? '')
  const [start, setStart] = useState(startWith ?? '')
  const [from, setFrom] = useState('')
  const [until, setUntil] = useState('')
  const [why, setWhy] = useState('')
  const [fault, setFault] = useState<Error>()
  const starts = jobs.find((one) => one.job === job)?.starts ?? []
  const instant = (time: string) => (time === '' ? undefined : new Date(time).toISOString())
  const pause = async () => {
    setFault(undefined)
    await call(routes.pauseStarts, {
      body: {
        environment,
        job: job || undefined,
        start: start || undefined,
        from: instant(from),
        until: instant(until),
        why,
      },
    })
    say('paused: what comes meanwhile waits until it ends')
    onDone()
  }
  return (
    <Slip title="Pause starts" onClose={onClose}>
      <div className="form-rows">
        <span className="label">of</span>
        <span className="line" style={{ flexWrap: 'wrap' }}>
          <Choice
            label="of which job"
            value={job}
            options={[
              ['', `every job in ${environment}`],
              ...jobs.map((one) => [one.job, one.title] as const),
            ]}
            onChange={(next) => {
              setJob(next)
              setStart('')
            }}
          />
          {starts.length > 1 && (
            <Choice
              label="of which start"
              value={start}
              options={[['', 'all of its starts'], ...starts.map(({ id, text }) => [id, text] as const)]}
              onChange={setStart}
            />
          )}
        </span>
        <span className="label">during</span>
        <span className="line" style={{ paddingTop: 6 }}>
          <TimeInput label="from" value={from} onChange={setFrom} />
          {from === '' && <span className="soft">from now on</span>}
        </span>
        <span />
        <span className="line" style={{ paddingTop: 6 }}>
          <TimeInput label="until" value={until} onChange={setUntil} />
          {until === '' && <span className="soft">until somebody ends it</span>}
        </span>
        <span className="label">why</span>
        <TextInput
          label="why"
          value={why}
          placeholder="for who wonders why nothing runs"
          onChange={setWhy}
          autoFocus
        />
      </div>
      {fault && <FaultBox error={fault} />}
      <div className="line" style={{ justifyContent: 'flex-end', marginTop: 12 }}>
        <Button onClick={onClose}>Leave it as it is</Button>
        <Button
          variant="contained"
          color="primary"
          disabled={why.trim() === ''}
          onClick={() => void pause().catch(setFault)}
        >
          Pause
        </Button>
      </div>
    </Slip>
  )
}
