import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { useNavigate } from 'react-router'
import { routes } from '../../../contract/routes'
import { copyJob, newJob } from '../../../core/job/editSteps'
import { call, useAnswer } from '../../data/api'
import { useHere } from '../../data/session'
import { FaultBox } from '../../kit/Fault'
import type { JobAnswer } from './answers'

/** A job like this one, under another name. */
export function CopyJob({ job }: { job: JobAnswer }): ReactElement {
  return (
    <NameJob
      open="Copy"
      title={`A copy of ${job.outline.title}`}
      name={`${job.name}-2`}
      words={`${job.outline.title}, a copy`}
      make={(name, title) => copyJob(job.text, name, title)}
    />
  )
}

/** A new job with one transfer, to begin with. */
export function NewJob(): ReactElement {
  const { environment } = useHere()
  // read while it is drawn: what is read only when the button is pressed is never drawn again, and so stays unread
  const { data: connections = [] } = useAnswer(routes.connections, { query: { environment } })
  const first = (kind: string, otherwise: string) =>
    connections.find((one) => one.kind === kind)?.name ?? otherwise
  return (
    <NameJob
      open="New job"
      primary
      title="A new job"
      name=""
      words=""
      make={(name, title) =>
        newJob(name, title, { database: first('postgres', 'a-database'), store: first('files', 'a-store') })
      }
    />
  )
}

function NameJob({
  open,
  primary = false,
  title,
  make,
  ...given
}: {
  open: string
  primary?: boolean
  title: string
  name: string
  words: string
  make: (name: string, title: string) => string
}): ReactElement {
  const navigate = useNavigate()
  const [asking, setAsking] = useState(false)
  const [name, setName] = useState(given.name)
  const [words, setWords] = useState(given.words)
  const [fault, setFault] = useState<Error>()
  const submit = (event: FormEvent) => {
    event.preventDefault()
    // made from no version: where there is a job of that name, the server says so
    call(routes.saveJob, { params: { name }, body: { text: make(name, words), base: 0, message: '' } }).then(
      () => navigate(`/jobs/${name}`),
      setFault,
    )
  }
  const label = { inputLabel: { shrink: true } }
  return (
    <>
      <Button
        {...(primary ? { variant: 'contained' as const, color: 'primary' as const } : {})}
        onClick={() => setAsking(true)}
      >
        {open}
      </Button>
      <Dialog open={asking} onClose={() => setAsking(false)} aria-labelledby="name-job">
        <form onSubmit={submit}>
          <DialogTitle id="name-job">{title}</DialogTitle>
          <DialogContent className="stack" style={{ paddingTop: 8, width: 380 }}>
            <TextField
              label="name"
              required
              autoFocus
              value={name}
              onChange={(event) => setName(event.target.value)}
              placeholder="gauge-readings"
              slotProps={{
                ...label,
                htmlInput: {
                  pattern: '[a-z][a-z0-9_\\-]{0,62}',
                  title: 'lower-case letters, digits, - and _',
                },
              }}
            />
            <TextField
              label="title"
              required
              value={words}
              onChange={(event) => setWords(event.target.value)}
              placeholder="Gauge readings"
              slotProps={label}
            />
            {fault && <FaultBox error={fault} />}
          </DialogContent>
          <DialogActions>
            <Button onClick={() => setAsking(false)}>Leave it</Button>
            <Button type="submit" variant="contained" color="primary">
              Make it
            </Button>
          </DialogActions>
        </form>
      </Dialog>
    </>
  )
}
