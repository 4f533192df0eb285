import { TimeInput } from '../../kit/dates'
import { Button, MenuItem, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { timeText } from '../../look/times'
import { FaultBox } from '../../kit/Fault'
import type { PlanAnswer } from './answers'

/** Plans the same rows and slices with another version of the job, or with the control tables as they were. */
export function PlanOtherwise({
  plan,
  onMade,
}: {
  plan: PlanAnswer
  onMade: (id: number) => void
}): ReactElement {
  const [open, setOpen] = useState(false)
  const [busy, setBusy] = useState(false)
  const [version, setVersion] = useState(plan.version)
  const [at, setAt] = useState('')
  const [fault, setFault] = useState<Error>()
  const job = useAnswer(routes.job, open ? { params: { name: plan.job }, query: {} } : null)
  if (!open) return <Button onClick={() => setOpen(true)}>Plan another way to compare</Button>
  const submit = (event: FormEvent) => {
    event.preventDefault()
    setBusy(true)
    setFault(undefined)
    const { parameters, environment, only, span, picks } = plan
    call(routes.makePlan, {
      body: {
        job: plan.job,
        version,
        environment,
        parameters,
        only: only ?? undefined,
        ...(picks ? { picks } : { span: span ?? undefined }),
        ...(at ? { controlAt: new Date(at).toISOString() } : {}),
      },
    })
      .then(({ id }) => {
        setOpen(false)
        onMade(id)
      }, setFault)
      .finally(() => setBusy(false))
  }
  return (
    <form className="line" onSubmit={submit} aria-label="plan another way" style={{ flexWrap: 'wrap' }}>
      <TextField
        select
        label="with version"
        value={version}
        onChange={(event) => setVersion(Number(event.target.value))}
        sx={{ minWidth: 210 }}
        slotProps={{ inputLabel: { shrink: true } }}
      >
        {(job.data?.versions ?? [{ version: plan.version, at: '', by: '' }]).map((entry) => (
          <MenuItem key={entry.version} value={entry.version}>
            {entry.version}
            {entry.at && ` · ${timeText(entry.at)}, ${entry.by}`}
          </MenuItem>
        ))}
      </TextField>
      <TimeInput label="control tables as of (empty: now)" value={at} onChange={setAt} width={250} />
      <Button type="submit" variant="contained" color="primary" disabled={busy}>
        {busy ? 'Planning' : 'Plan and compare'}
      </Button>
      <Button onClick={() => setOpen(false)}>Close</Button>
      {fault && <FaultBox error={fault} />}
    </form>
  )
}
