import { Lines } from '../../kit/Lines'
import { TableBody, TableCell, TableHead, TableRow } from '@mui/material'
import type { ReactElement } from 'react'
import { Link } from 'react-router'
import { timeText } from '../../look/times'
import type { JobAnswer } from './answers'

/** Every version that was saved; none is ever changed. */
export function Versions({ job }: { job: JobAnswer }): ReactElement {
  return (
    <section className="sheet grow" aria-label="versions" style={{ overflow: 'auto' }}>
      <Lines>
        <TableHead>
          <TableRow>
            <TableCell>version</TableCell>
            <TableCell>saved</TableCell>
            <TableCell>by</TableCell>
            <TableCell>message</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {job.versions.map((version) => (
            <TableRow
              key={version.version}
              style={version.version === job.version ? { background: 'var(--tint)' } : undefined}
            >
              <TableCell>
                <Link to={`/jobs/${job.name}?version=${version.version}&view=text`}>{version.version}</Link>
              </TableCell>
              <TableCell>{timeText(version.at)}</TableCell>
              <TableCell>{version.by}</TableCell>
              <TableCell>{version.message}</TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Lines>
    </section>
  )
}
