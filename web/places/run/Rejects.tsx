import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import { Link } from 'react-router'
import type { Answer } from '../../../contract/route'
import { routes } from '../../../contract/routes'
import { useAnswer } from '../../data/api'
import { numberText } from '../../look/times'
import { FaultBox } from '../../kit/Fault'

/** Rows that could not be written: line, reason, raw text; counted by reason; to be taken out as CSV. */
export function Rejects({
  run,
  load,
  step,
}: {
  run: number
  load: number
  step: Answer<typeof routes.runLoad>['detail'][number]
}): ReactElement {
  const { data, error } = useAnswer(routes.rejects, {
    params: { id: run, load },
    query: { step: step.step, limit: 50 },
  })
  return (
    <section aria-label="rejected rows" style={{ marginTop: 8 }}>
      <div className="line">
        <h2 className="look" style={{ margin: 0 }}>
          {data ? numberText(data.total) : ''} rejected
        </h2>
        <span style={{ marginLeft: 'auto' }} />
        {(step.state === 'done' || step.state === 'held') && (
          <Link to={`/runs/${run}/loads/${load}/mend?step=${encodeURIComponent(step.step)}`}>mend them</Link>
        )}
        <a href={`/api/runs/${run}/loads/${load}/rejects.csv?step=${encodeURIComponent(step.step)}`}>
          take out as CSV
        </a>
      </div>
      <span className="soft">
        {Object.entries(step.rejectReasons)
          .map(([reason, n]) => `${numberText(n)} × ${reason}`)
          .join('; ')}
      </span>
      {error && <FaultBox error={error} />}
      {data && (
        <div
          style={{ overflow: 'auto', maxHeight: 220 }}
          tabIndex={0}
          role="region"
          aria-label="rejected rows, first 50"
        >
          <Lines mono>
            <TableHead>
              <TableRow>
                <TableCell className="number">line</TableCell>
                <TableCell>reason</TableCell>
                <TableCell>raw text</TableCell>
              </TableRow>
            </TableHead>
            <TableBody>
              {data.rows.map((row) => (
                <TableRow key={`${row.file}${row.line}`}>
                  <TableCell className="number">{row.line}</TableCell>
                  <TableCell>{row.column ? `${row.column}: ${row.reason}` : row.reason}</TableCell>
                  <TableCell>{row.raw}</TableCell>
                </TableRow>
              ))}
            </TableBody>
          </Lines>
        </div>
      )}
    </section>
  )
}
