import { Button, TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import { useState, type ReactElement } from 'react'
import type { Answer } from '../../../contract/route'
import { addressOf } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { call } from '../../data/api'
import { useMay } from '../../data/session'
import { FaultBox, Waiting } from '../../kit/Fault'
import { LinkButton } from '../../kit/LinkButton'
import { Lines } from '../../kit/Lines'
import { count, numberText } from '../../look/times'

type RunAnswer = Answer<typeof routes.run>
type Verified = Answer<typeof routes.verifyRun>

export interface Proof {
  /** Stands in the line of the balance. */
  readonly links: ReactElement
  /** Stands below it. */
  readonly found: ReactElement | null
}

/** What proves a run: the document to take out, and a second look at what it left. */
export function useProof(run: RunAnswer): Proof {
  const mayVerify = useMay('run', run.environment)
  const [found, setFound] = useState<Verified>()
  const [fault, setFault] = useState<Error>()
  const [looking, setLooking] = useState(false)
  const look = async () => {
    setLooking(true)
    setFault(undefined)
    try {
      setFound(await call(routes.verifyRun, { params: { id: run.id }, query: { only: 'broken' } }))
    } catch (error) {
      setFault(error as Error)
    } finally {
      setLooking(false)
    }
  }
  const links = (
    <span className="line" style={{ fontSize: 13 }}>
      {mayVerify && (
        <LinkButton onClick={() => void look()} disabled={looking}>
          count again
        </LinkButton>
      )}
      <a href={addressOf(routes.proveRun, { id: run.id })}>proof as JSON</a>
    </span>
  )
  if (fault) return { links, found: <FaultBox error={fault} /> }
  if (looking) return { links, found: <Waiting what="counting again in the targets what this run left" /> }
  if (!found) return { links, found: null }
  return { links, found: <Found found={found} onClose={() => setFound(undefined)} /> }
}

function Found({ found, onClose }: { found: Verified; onClose: () => void }): ReactElement {
  const { counted, loads, holds } = found
  return (
    <section
      className="sheet"
      aria-label="counted again"
      style={{ maxHeight: 220, overflow: 'auto', flex: 'none' }}
    >
      <div className="line">
        <span role="status" className={holds ? 'good' : 'bad'}>
          {holds
            ? `✓ ${count(counted.loads, 'load')} ${counted.loads === 1 ? 'is' : 'are'} as ${counted.loads === 1 ? 'it was' : 'they were'} left`
            : `✗ ${numberText(counted.broken)} of ${count(counted.loads, 'load')} ${counted.broken === 1 ? 'is' : 'are'} not as ${counted.broken === 1 ? 'it was' : 'they were'} left`}
        </span>
        <span className="soft">
          {numberText(counted.found)} of {numberText(counted.written)} written rows are in their tables as
          they were written
        </span>
        <Button variant="text" onClick={onClose} style={{ marginLeft: 'auto' }}>
          Close
        </Button>
      </div>
      {loads.length > 0 && (
        <Lines>
          <TableHead>
            <TableRow>
              <TableCell>load</TableCell>
              <TableCell className="number">written</TableCell>
              <TableCell className="number">found</TableCell>
              <TableCell>what is not as it was left</TableCell>
            </TableRow>
          </TableHead>
          <TableBody>
            {loads.slice(0, 500).map((load) => (
              <TableRow key={load.key}>
                <TableCell className="mono keep">{load.key}</TableCell>
                <TableCell className="number">{numberText(load.written)}</TableCell>
                <TableCell className="number">{load.found === null ? '' : numberText(load.found)}</TableCell>
                <TableCell>{load.why}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Lines>
      )}
      {loads.length > 500 && <span className="soft">and {count(loads.length - 500, 'more load')}</span>}
    </section>
  )
}
