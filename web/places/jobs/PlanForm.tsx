import { DaySpan } from '../../kit/dates'
import { Button, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { useNavigate } from 'react-router'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { FaultBox } from '../../kit/Fault'
import type { JobAnswer } from './answers'
import { Parameters, valuesGiven } from './Parameters'
import { useRunsHere } from './RunsHere'

const nextDay = (day: string): string =>
  new Date(new Date(`${day}T00:00:00Z`).getTime() + 86_400_000).toISOString().slice(0, 10)
const days = (from: string, to: string): number =>
  Math.round((new Date(to).getTime() - new Date(from).getTime()) / 86_400_000) + 1

/** What to plan: which rows, which slices, which parameters. */
export function PlanForm({ job, onClose }: { job: JobAnswer; onClose: () => void }): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const { outline } = job
  // an earlier version that was opened is planned as it is; else what runs here
  const here = useRunsHere(job)
  const version = job.version === job.newest ? (here ?? job.version) : job.version
  const byDay = outline.slices?.every === 'P1D'
  const [only, setOnly] = useState('')
  const [first, setFirst] = useState(job.newestSlice ?? '')
  const [last, setLast] = useState(job.newestSlice ?? '')
  const [span, setSpan] = useState(job.newestSlice ?? '')
  const [values, setValues] = useState<Record<string, string>>(() =>
    Object.fromEntries(
      outline.parameters.map((parameter) => [
        parameter.name,
        parameter.default === null ? '' : String(parameter.default),
      ]),
    ),
  )
  const [fault, setFault] = useState<Error>()
  const [busy, setBusy] = useState(false)
  const count = byDay && first && last ? days(first, last) : 0
  const plan = async () => {
    const parameters = valuesGiven(outline, values)
    const slices = !outline.slices ? undefined : byDay ? `${first}/${nextDay(last)}` : span
    const { id } = await call(routes.makePlan, {
      body: { job: job.name, version, environment, parameters, only: only.trim() || undefined, span: slices },
    })
    void navigate(`/plans/${id}`)
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    setBusy(true)
    setFault(undefined)
    plan()
      .catch(setFault)
      .finally(() => setBusy(false))
  }
  return (
    <form className="sheet stack" onSubmit={submit} aria-label="what to plan" style={{ flex: 'none' }}>
      <div className="line" style={{ flexWrap: 'wrap', rowGap: 12, paddingTop: 4 }}>
        {outline.parts.some(({ kind }) => kind === 'each') && (
          <TextField
            label="only loads where"
            placeholder="row.district == 'corrie'"
            value={only}
            onChange={(event) => setOnly(event.target.value)}
            sx={{ width: 290 }}
            slotProps={{ inputLabel: { shrink: true }, htmlInput: { className: 'mono' } }}
            autoFocus
          />
        )}
        {outline.slices && byDay && (
          <DaySpan
            first={first}
            last={last}
            onChange={(from, to) => {
              setFirst(from)
              setLast(to)
            }}
          />
        )}
        {outline.slices && !byDay && (
          <TextField
            label="slices, FROM/TO, the end not included"
            value={span}
            onChange={(event) => setSpan(event.target.value)}
            sx={{ width: 330 }}
            slotProps={{ inputLabel: { shrink: true } }}
          />
        )}
        <Parameters outline={outline} values={values} onValues={setValues} />
        <Button type="submit" variant="contained" color="primary" disabled={busy || (byDay && count < 1)}>
          {busy ? 'Planning' : `Plan in ${environment}`}
        </Button>
        <Button onClick={onClose}>Close</Button>
      </div>
      {fault && <FaultBox error={fault} />}
    </form>
  )
}
