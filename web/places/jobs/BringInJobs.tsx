import { LinkButton } from '../../kit/LinkButton'
import { FilePick } from '../../kit/FilePick'
import { Lines } from '../../kit/Lines'
import type { Checked } from './checked'
import { Button, TableBody, TableCell, TableRow, TextField } from '@mui/material'
import { useEffect, useState, type DragEvent, type ReactElement } from 'react'
import { Link, useNavigate } from 'react-router'
import { routes } from '../../../contract/routes'
import type { Fault } from '../../../core/fault'
import { ApiFault, call } from '../../data/api'
import { useHere } from '../../data/session'
import { count } from '../../look/times'
import { Empty, FaultBox } from '../../kit/Fault'
import { firstAnswers, givenBy, MissingForm, type Answers } from './MissingForm'

interface Document {
  readonly file: string
  readonly text: string
}

/** Documents of jobs from elsewhere: looked through, what is missing here asked for in one form, then brought in. */
export default function BringInJobs(): ReactElement {
  const { environment } = useHere()
  const navigate = useNavigate()
  const [documents, setDocuments] = useState<readonly Document[]>([])
  const [pasted, setPasted] = useState('')
  const [checked, setChecked] = useState<Checked>()
  const [answers, setAnswers] = useState<Answers>({ connections: {}, controls: {}, values: {} })
  const [faults, setFaults] = useState<readonly Fault[]>([])
  const [fault, setFault] = useState<Error>()
  const [busy, setBusy] = useState(false)
  const all = pasted.trim() === '' ? documents : [...documents, { file: 'pasted text', text: pasted }]
  const key = JSON.stringify([all, environment])
  useEffect(() => {
    const [list, where] = JSON.parse(key) as [Document[], string]
    setFaults([])
    if (list.length === 0) {
      setChecked(undefined)
      return
    }
    let stale = false
    const timer = setTimeout(() => {
      call(routes.checkDocuments, { body: { documents: list, environment: where } }).then(
        (found) => {
          if (stale) return
          setChecked(found)
          setFault(undefined)
          // what was filled in stays
          setAnswers((now) => firstAnswers(found.missing, now))
        },
        (error: Error) => !stale && setFault(error),
      )
    }, 200)
    return () => {
      stale = true
      clearTimeout(timer)
    }
  }, [key])
  const take = async (files: Iterable<File>) => {
    const read = await Promise.all(
      [...files].map(async (file) => ({ file: file.name, text: await file.text() })),
    )
    // a file picked again takes the place of what it was
    setDocuments((now) => [...now.filter(({ file }) => !read.some((one) => one.file === file)), ...read])
  }
  const drop = (event: DragEvent) => {
    event.preventDefault()
    void take(event.dataTransfer.files)
  }
  const mistakes = checked?.documents.reduce((sum, { faults: own }) => sum + own.length, 0) ?? 0
  const changes = checked?.documents.filter(({ becomes }) => becomes !== null).length ?? 0
  const bringIn = () => {
    setBusy(true)
    setFaults([])
    setFault(undefined)
    call(routes.bringInJobs, {
      body: { documents: [...all], environment, given: givenBy(checked!.missing, answers) },
    })
      .then(
        ({ jobs }) => navigate(jobs.length === 1 ? `/jobs/${jobs[0]!.name}` : '/jobs'),
        (error: Error) => {
          if (error instanceof ApiFault && error.faults.length > 0) setFaults(error.faults)
          else setFault(error)
        },
      )
      .finally(() => setBusy(false))
  }
  const { connections = [], controls = [], values = [] } = checked?.missing ?? {}
  const lacking = connections.length + controls.length + values.length
  return (
    <div className="stack" onDragOver={(event) => event.preventDefault()} onDrop={drop}>
      <div className="head" style={{ marginBottom: 0 }}>
        <h1>Bring jobs in</h1>
        <span className="soft">documents from elsewhere, into {environment}</span>
        <div className="actions">
          <Button component={Link} to="/jobs">
            Leave it
          </Button>
          <Button
            variant="contained"
            color="primary"
            disabled={!checked || mistakes > 0 || busy || changes === 0}
            onClick={bringIn}
          >
            {changes > 0 ? `Bring ${count(changes, 'job')} in` : 'Bring in'}
          </Button>
        </div>
      </div>
      <section className="sheet" aria-label="documents" style={{ flex: 'none' }}>
        <div className="line" style={{ marginBottom: 8, flexWrap: 'wrap' }}>
          <FilePick
            label="documents to bring in"
            several
            endings={['.yaml', '.yml']}
            onFiles={(files) => void take(files)}
          />
        </div>
        <TextField
          label="or paste one"
          value={pasted}
          onChange={(event) => setPasted(event.target.value)}
          multiline
          minRows={2}
          maxRows={9}
          fullWidth
          slotProps={{ inputLabel: { shrink: true }, htmlInput: { className: 'mono' } }}
        />
        {checked ? (
          <Documents
            checked={checked}
            onRemove={(file) =>
              file === 'pasted text'
                ? setPasted('')
                : setDocuments(documents.filter((one) => one.file !== file))
            }
          />
        ) : (
          <Empty>
            Each is looked through before anything is changed: its mistakes by line, and what it names that is
            not here.
          </Empty>
        )}
      </section>
      {fault && <FaultBox error={fault} />}
      {faults.length > 0 && (
        <div className="fault" role="alert">
          <b className="bad">Nothing was brought in.</b>
          <ul className="plain-list">
            {faults.map(({ message, where }, i) => (
              <li key={i}>
                {where.file !== undefined && (
                  <b>
                    {where.file}
                    {where.line !== undefined && `, line ${where.line}`}:{' '}
                  </b>
                )}
                {message}
              </li>
            ))}
          </ul>
        </div>
      )}
      {checked && mistakes === 0 && lacking > 0 && (
        <MissingForm
          missing={checked.missing}
          answers={answers}
          onAnswers={setAnswers}
          wrong={new Set(faults.flatMap(({ where }) => where.path ?? []))}
        />
      )}
    </div>
  )
}

function Documents({
  checked,
  onRemove,
}: {
  checked: Checked
  onRemove: (file: string) => void
}): ReactElement {
  return (
    <Lines style={{ marginTop: 10 }}>
      <TableBody>
        {checked.documents.map(({ file, name, title, becomes, faults }) => (
          <TableRow key={file}>
            <TableCell component="th" scope="row" className="mono" style={{ width: 210 }}>
              {file}
            </TableCell>
            <TableCell>
              {title} {name !== null && <span className="soft mono">{name}</span>}
              {faults.map((fault, i) => (
                <div key={i}>
                  <b className="bad">
                    {fault.where.line !== undefined ? `line ${String(fault.where.line)}` : 'it'}
                  </b>
                  : {fault.message}
                </div>
              ))}
            </TableCell>
            <TableCell className="keep soft" style={{ width: 170 }}>
              {faults.length > 0 ? (
                <span className="bad">{count(faults.length, 'mistake')}</span>
              ) : becomes === null ? (
                'saved as it is already'
              ) : becomes === 1 ? (
                'a new job'
              ) : (
                `becomes version ${becomes}`
              )}
            </TableCell>
            <TableCell style={{ width: 90 }}>
              <LinkButton onClick={() => onRemove(file)}>leave out</LinkButton>
            </TableCell>
          </TableRow>
        ))}
      </TableBody>
    </Lines>
  )
}
