import { Button } from '@mui/material'
import { useCallback, useState, type ReactElement } from 'react'
import { useNavigate } from 'react-router'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { FaultBox } from '../../kit/Fault'
import { count, numberText } from '../../look/times'
import type { PickedOfJob } from './lines'
import { spanWords } from './words'
import { sliceAt } from './lines'

interface Props {
  readonly picked: readonly PickedOfJob[]
  readonly planning: Planning
  readonly mayRun: boolean
  readonly onClear: () => void
}

export interface Planning {
  /** The job that is being planned. */
  readonly busy: string | undefined
  readonly fault: Error | undefined
  readonly plan: (picked: PickedOfJob) => void
}

/** Plans what is picked of a job, and opens the plan. */
export function usePlanning(environment: string): Planning {
  const navigate = useNavigate()
  const [fault, setFault] = useState<Error>()
  const [busy, setBusy] = useState<string>()
  const plan = useCallback(
    ({ job: { job }, stretches }: PickedOfJob) => {
      setFault(undefined)
      setBusy(job)
      const picks = stretches.map(({ part, row, from, to }) => ({ part, row, from: new Date(from).toISOString(), to: new Date(to).toISOString() }))
      call(routes.makePlan, { body: { job, environment, picks } })
        .then(({ id }) => navigate(`/plans/${id}`))
        .catch(setFault)
        .finally(() => setBusy(undefined))
    },
    [environment, navigate],
  )
  return { busy, fault, plan }
} // prettier-ignore

/** What is picked, job by job, and planning it. */
export function PickedLines({ picked, planning: { busy, fault, plan }, mayRun, onClear }: Props): ReactElement {
  return (
    <section className="sheet" aria-label="picked" style={{ padding: '8px 12px' }}>
      {picked.map((one) => (
        <div key={one.job.job} className="line" style={{ padding: '3px 0' }}>
          <b style={{ flex: 'none' }}>
            {count(one.slices, 'slice')} of {one.rows === 1 ? one.stretches[0]!.row || one.job.title : `${numberText(one.rows)} rows`} picked
          </b>
          <span className="soft cut">
            {one.job.title}, {spanOf(one)}
          </span>
          {mayRun && (
            <Button variant="contained" color="primary" disabled={busy !== undefined} onClick={() => plan(one)} title="p" sx={{ flex: 'none' }}>
              {busy === one.job.job ? 'planning' : `Plan ${count(one.slices, 'load')}`}
            </Button>
          )}
          <Button onClick={onClear} title="Esc" sx={{ flex: 'none' }}>Let go</Button>
        </div>
      ))}
      {fault && <FaultBox error={fault} />}
    </section>
  )
} // prettier-ignore

/** From the first slice to the last, as they are called. */
function spanOf({ job, from, to }: PickedOfJob): string {
  const times = {
    from: job.slices.map((one) => Date.parse(one.from)),
    to: job.slices.map((one) => Date.parse(one.to)),
  }
  const [first, last] = [sliceAt(times, from), sliceAt(times, to - 1)]
  return first === last ? spanWords(job, first) : `${spanWords(job, first)} to ${spanWords(job, last)}`
}
