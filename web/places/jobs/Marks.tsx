import { Button, Dialog, DialogActions, DialogContent, DialogTitle, TableBody, TableCell, TableHead, TableRow } from '@mui/material' // prettier-ignore
import { useState, type ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call, useAnswer } from '../../data/api'
import { useHere, useMay } from '../../data/session'
import { TextInput } from '../../kit/controls'
import { FaultBox, Waiting } from '../../kit/Fault'
import { LinkButton } from '../../kit/LinkButton'
import { Lines } from '../../kit/Lines'
import { say } from '../../kit/Notice'
import { timeText } from '../../look/times'

type Mark = Answer<typeof routes.marks>[number]

/** The marks that the job's loads left in this environment: how far each has come, by what, and set by hand. */
export function Marks({ job }: { job: string }): ReactElement | null {
  const { environment } = useHere()
  const { data, error, mutate } = useAnswer(routes.marks, { params: { name: job }, query: { environment } })
  const [open, setOpen] = useState<Mark>()
  if (error) return <FaultBox error={error} />
  if (!data || data.length === 0) return null
  return (
    <section aria-labelledby="marks">
      <h3 id="marks" className="rule-head">
        Marks <span className="soft">how far what is new was read in {environment}</span>
      </h3>
      <Lines>
        <TableBody>
          {data.map((mark) => (
            <TableRow key={`${mark.connection} ${mark.name}`}>
              <TableCell className="mono">{mark.name}</TableCell>
              <TableCell className="mono">{mark.value ?? <i className="soft">none yet</i>}</TableCell>
              <TableCell className="soft">
                beside {mark.connection}, {timeText(mark.at)}
              </TableCell>
              <TableCell align="right">
                <LinkButton onClick={() => setOpen(mark)}>moves</LinkButton>
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
      {open && (
        <MarkDialog
          mark={open}
          onClose={() => {
            setOpen(undefined)
            void mutate()
          }}
        />
      )}
    </section>
  )
}

/** How a mark moved, and the form to set it by hand. */
function MarkDialog({ mark, onClose }: { mark: Mark; onClose: () => void }): ReactElement {
  const { environment } = useHere()
  const maySet = useMay('run', environment)
  const { connection, name } = mark
  const { data, error } = useAnswer(routes.markMoves, { query: { environment, connection, mark: name } })
  const [to, setTo] = useState(mark.value ?? '')
  const [why, setWhy] = useState('')
  const [fault, setFault] = useState<Error>()
  const set = () =>
    void call(routes.setMark, {
      body: { environment, connection, mark: name, from: mark.value, to: to.trim() || null, why },
    }).then(() => {
      say(to.trim() ? `The mark stands at ${to.trim()}` : 'There is no mark: the next load reads all')
      onClose()
    }, setFault)
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>
        <span className="mono">{name}</span> in {environment}
      </DialogTitle>
      <DialogContent>
        {error && <FaultBox error={error} />}
        {!data && !error && <Waiting what="reading how it moved" />}
        {data && (
          <div style={{ maxHeight: 260, overflow: 'auto' }} tabIndex={0} role="region" aria-label="its moves">
            <Lines>
              <TableHead>
                <TableRow>
                  {['when', 'from', 'to', 'by', 'why'].map((title) => (
                    <TableCell key={title}>{title}</TableCell>
                  ))}
                </TableRow>
              </TableHead>
              <TableBody>
                {data.map((move, i) => (
                  <TableRow key={i}>
                    <TableCell>{timeText(move.at)}</TableCell>
                    <TableCell className="mono">{move.from ?? <i className="soft">none</i>}</TableCell>
                    <TableCell className="mono">{move.to ?? <i className="soft">none</i>}</TableCell>
                    <TableCell>
                      {move.run === null ? (
                        move.by
                      ) : (
                        <Link to={`/runs/${move.run}?load=${move.load}`}>run {move.run}</Link>
                      )}
                    </TableCell>
                    <TableCell>{move.why}</TableCell>
                  </TableRow>
                ))}
              </TableBody>
            </Lines>
          </div>
        )}
        {maySet && (
          <div className="form-rows" style={{ marginTop: 16 }}>
            <span className="label">set it to</span>
            <TextInput
              label="set it to"
              mono
              value={to}
              placeholder="nothing: the next load reads all"
              onChange={setTo}
            />
            <span className="label">why</span>
            <TextInput label="why" value={why} placeholder="it is kept" onChange={setWhy} />
          </div>
        )}
        {fault && <FaultBox error={fault} />}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
        {maySet && (
          <Button
            variant="contained"
            color="primary"
            disabled={why.trim().length < 3 || to.trim() === (mark.value ?? '')}
            onClick={set}
          >
            Set the mark
          </Button>
        )}
      </DialogActions>
    </Dialog>
  )
}
