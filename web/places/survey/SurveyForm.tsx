import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TextField } from '@mui/material'
import { useState, type FormEvent, type ReactElement } from 'react'
import { useNavigate } from 'react-router'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { useHere } from '../../data/session'
import { FaultBox } from '../../kit/Fault'

const patterns = (text: string): string[] =>
  text
    .split(/[\n,]/)
    .map((line) => line.trim())
    .filter((line) => line !== '')

/** Where a survey is to look, and how it names what it finds. It changes nothing until its proposals are accepted. */
export function SurveyForm({
  connection,
  within,
  onClose,
}: {
  connection: string
  within: string
  onClose: () => void
}): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const [include, setInclude] = useState(within)
  const [exclude, setExclude] = useState('')
  const [prefix, setPrefix] = useState('')
  const [fault, setFault] = useState<Error>()
  const start = (event: FormEvent) => {
    event.preventDefault()
    const scope = { include: patterns(include), exclude: patterns(exclude), prefix }
    call(routes.startSurvey, { body: { connection, environment, scope } }).then(
      ({ survey }) => void navigate(`/surveys/${survey}`),
      setFault,
    )
  }
  return (
    <Dialog open onClose={onClose} aria-labelledby="survey-title" fullWidth maxWidth="sm">
      <form onSubmit={start}>
        <DialogTitle id="survey-title">
          Survey <span className="mono">{connection}</span> in {environment}
        </DialogTitle>
        <DialogContent>
          <div className="stack" style={{ paddingTop: 8 }}>
            <TextField
              label="Look only at (empty: everything)"
              helperText="folders, schemas, or patterns such as readings/*.csv or raw.*; one a line"
              value={include}
              onChange={(event) => setInclude(event.target.value)}
              multiline
              minRows={2}
              autoFocus
              slotProps={{ htmlInput: { className: 'mono' } }}
            />
            <TextField
              label="Leave out"
              value={exclude}
              onChange={(event) => setExclude(event.target.value)}
              multiline
              minRows={2}
              slotProps={{ htmlInput: { className: 'mono' } }}
            />
            <TextField
              label="Begin the names of what it finds with"
              value={prefix}
              onChange={(event) => setPrefix(event.target.value)}
              slotProps={{ htmlInput: { className: 'mono' } }}
            />
            <span className="soft">
              It reads, and shows what it would change in the catalog. Nothing changes until you accept it.
            </span>
            {fault && <FaultBox error={fault} />}
          </div>
        </DialogContent>
        <DialogActions>
          <Button onClick={onClose}>Leave it</Button>
          <Button type="submit" variant="contained" color="primary">
            Start
          </Button>
        </DialogActions>
      </form>
    </Dialog>
  )
}
