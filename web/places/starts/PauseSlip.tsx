import { Button } from '@mui/material'
import { useState, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { againSchema, againWords, farthest, pauseSpans, type Again } from '../../../core/schedule/pause'
import { call } from '../../data/api'
import { Choice, TextInput } from '../../kit/controls'
import { TimeInput } from '../../kit/dates'
import { FaultBox } from '../../kit/Fault'
import type { FieldFrame } from '../../kit/fields/frame'
import { SchemaFields } from '../../kit/fields/SchemaFields'
import { say } from '../../kit/Notice'
import { Slip } from '../../kit/Slip'
import { spanText } from '../../look/times'
import type { OutlookJob } from './answers'

const frame: FieldFrame = { locked: false, expressions: [], offers: () => [] }

/** Asks what is to be paused, how long or how often, and why. */
export function PauseSlip({
  environment,
  now,
  jobs,
  job: begunWith,
  start: startWith,
  onClose,
  onDone,
}: {
  readonly environment: string
  /** The clock that starts go by. */
  readonly now: string
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
  const [again, setAgain] = useState<Again>()
  const [why, setWhy] = useState('')
  const [fault, setFault] = useState<Error>()
  const starts = jobs.find((one) => one.job === job)?.starts ?? []
  const read = againSchema.safeParse(again)
  const ready = why.trim() !== '' && (again === undefined || read.success)
  const zone = jobs.find((one) => one.job === job)?.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone
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
        again,
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
        <span className="label">how often</span>
        <Choice
          label="how often"
          value={again ? 'again' : 'once'}
          options={[
            ['once', 'once'],
            ['again', 'again and again'],
          ]}
          onChange={(next) =>
            setAgain(next === 'once' ? undefined : { cron: '0 2 * * sun', zone, lasts: 'PT4H' })
          }
        />
      </div>
      {again && (
        <div style={{ marginTop: 8 }}>
          <SchemaFields
            schema={againSchema}
            path={['again']}
            said="again"
            value={{ ...again }}
            frame={{
              ...frame,
              fault: ([, key]) => read.error?.issues.find(({ path }) => path[0] === key)?.message,
            }}
            onChange={(next) => setAgain(next as Again)}
          />
          {read.success && <Coming again={read.data} now={now} from={instant(from)} until={instant(until)} />}
        </div>
      )}
      <div className="form-rows">
        <span className="label">{again ? 'within' : 'during'}</span>
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
          disabled={!ready}
          onClick={() => void pause().catch(setFault)}
        >
          Pause
        </Button>
      </div>
    </Slip>
  )
}

/** A pause that comes again in words, and when it comes next. */
function Coming({ again, now, from, until }: { again: Again; now: string; from?: string | undefined; until?: string | undefined }): ReactElement {
  const begin = Math.max(Date.parse(now), Date.parse(from ?? now))
  const times = { from: begin, until: until === undefined ? Infinity : Date.parse(until), again }
  const spans = pauseSpans(times, begin, Math.min(times.until, begin + farthest), 4)
  const text = (time: number) => new Date(time).toISOString()
  return (
    <div style={{ margin: '4px 0 10px 130px' }} role="status">
      <div>{againWords(again)}</div>
      {spans.length === 0 && <div className="bad">never in that time</div>}
      {spans.map((span) => (
        <div key={span.from} className="soft number" style={{ textAlign: 'left' }}>
          {spanText(`${text(span.from)}/${text(span.until)}`, again.zone)}
        </div>
      ))}
    </div>
  )
} // prettier-ignore
